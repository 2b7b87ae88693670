"""Recordings of a defibrillator: resuscitations."""
