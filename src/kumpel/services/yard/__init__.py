"""Vehicles, courses and laps: what those who drive need beyond a session. Nothing in the middle knows this room."""
