"""The paper: its pages, conclusion and signature, and every way out of the house."""
