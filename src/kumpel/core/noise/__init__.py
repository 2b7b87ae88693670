"""Noise exposure by personal meter: levels, dose, daily exposure level, peaks, tasks, uncertainty."""
