"""Dust and indoor-air monitors."""
