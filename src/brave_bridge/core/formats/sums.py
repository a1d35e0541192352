"""Sums as they are written down."""

import re

SHA256 = re.compile(r"[0-9a-f]{64}")
"""A SHA-256 (FIPS 180-4) in small hexadecimal digits."""
