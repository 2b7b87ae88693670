"""The recorders in reach: what they are, what is on them, their clock, sensors, displays, live values."""
