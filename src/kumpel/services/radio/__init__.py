"""Recorders with a radio network of their own: visiting them there, and giving them the house's network."""
