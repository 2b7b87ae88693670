"""Personal gas monitors."""
