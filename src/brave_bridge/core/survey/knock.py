"""What a knock at a listening port can come to."""

REFUSES, SILENT = "refuses", "does not answer"
TAKES, SPEAKS = "takes connections", "speaks first"
OUTCOMES = (REFUSES, SILENT, TAKES, SPEAKS)
"""From the worst to the best."""
