"""Reviewing: decisions taken, recordings compared, trends, limit sets of the house."""
