"""Overnight oximetry."""
