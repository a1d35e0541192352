"""Brave Bridge takes machines from one operating-system release to the next."""

__version__ = "0.1.0"
