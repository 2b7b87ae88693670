"""Simulated recorders: programs of their own that talk over the public protocols only."""
