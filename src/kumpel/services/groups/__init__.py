"""Groups of people: who is in one, what their measurements say together, its conclusion, its page on paper."""
