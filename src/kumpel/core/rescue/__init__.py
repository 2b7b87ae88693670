"""Rescue cases of a defibrillator."""
