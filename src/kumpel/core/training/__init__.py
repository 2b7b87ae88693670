"""Training sessions of a watch, pulse belt, stroke or stride meter."""
