"""Measurements, each against a yardstick in the same run: ``python -m bench``."""
