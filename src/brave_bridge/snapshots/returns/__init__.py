"""Bringing a machine, or one path of it, back to a snapshot."""
