"""What is on record: sessions, what people take, how much waits at each station."""
