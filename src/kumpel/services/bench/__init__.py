"""Checks of recorders made here: references, runs, certificates."""
