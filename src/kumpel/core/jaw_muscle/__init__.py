"""Night recordings of jaw muscles and heart."""
