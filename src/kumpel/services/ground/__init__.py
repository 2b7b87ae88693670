"""What every room stands on: who did what, what can go wrong, people, settings, stored recordings and their figures."""
