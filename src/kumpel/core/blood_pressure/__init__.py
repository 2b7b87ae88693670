"""24-hour blood pressure with activity."""
