"""Pins: which source's version apt prefers (apt_preferences(5))."""

import msgspec

from brave_bridge.core.formats.deb822 import FormatError, stanzas


class Pin(msgspec.Struct, frozen=True):
    """One pin: the packages it is for (patterns), what it selects, its priority."""

    path: str
    packages: str
    selects: str
    priority: int

    @property
    def is_general(self) -> bool:
        """Whether it is for every package."""
        return self.packages.strip() == "*"


def read_pins(text: str, path: str) -> list[Pin]:
    """The pins of a preferences file; stanzas that are none are passed over."""
    found = []
    try:
        for fields in stanzas(text, where=path):
            digits = fields.get("Pin-Priority", "").removeprefix("-")
            if {"Package", "Pin"} <= fields.keys() and digits.isascii() and digits.isdigit():
                number = int(fields["Pin-Priority"])
                found.append(Pin(path, fields["Package"], fields["Pin"], number))
    except (FormatError, ValueError):
        pass
    return found
