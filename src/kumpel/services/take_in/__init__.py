"""Taking in: sessions from recorders and files, filed once and only once."""
