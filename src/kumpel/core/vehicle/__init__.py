"""Vehicle sessions: courses, laps, sectors, comparison, derived channels, sensor calibration."""
