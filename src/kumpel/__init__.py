"""Kumpel: recorders for named people, from hand-out to a signed page of paper."""

__version__ = "0.1.0"
