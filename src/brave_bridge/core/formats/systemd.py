"""What systemd's own tools print for scripts (systemctl(1), loginctl(1), timedatectl(1))."""

import msgspec


class Unit(msgspec.Struct, frozen=True):
    """A unit of the service manager; ``active`` and ``sub`` are its states."""

    name: str
    active: str
    sub: str = ""
    about: str = ""

    @property
    def has_failed(self) -> bool:
        """Whether the service manager calls it failed."""
        return self.active == "failed"


def read_units(text: str) -> list[Unit]:
    """``systemctl list-units --plain --no-legend --full``."""
    found = []
    for line in text.splitlines():
        words = line.replace("●", " ").split(maxsplit=4)
        if len(words) >= 4 and "." in words[0]:
            found.append(Unit(words[0], words[2], words[3], words[4] if len(words) > 4 else ""))
    return found


def read_unit_files(text: str) -> list[str]:
    """The names that ``systemctl list-unit-files --no-legend`` prints."""
    return [words[0] for line in text.splitlines() if (words := line.split())]


def read_properties(text: str) -> list[dict[str, str]]:
    """Blocks of ``Name=value`` lines, as ``show`` prints one for each object."""
    blocks: list[dict[str, str]] = [{}]
    for line in text.splitlines():
        name, equals, value = line.partition("=")
        if equals:
            blocks[-1][name] = value
        elif not line.strip() and blocks[-1]:
            blocks.append({})
    return [block for block in blocks if block]


def read_session_ids(text: str) -> list[str]:
    """The first column of ``loginctl list-sessions --no-legend``."""
    found = [words[0] for line in text.splitlines() if (words := line.split())]
    return [word for word in found if word.isalnum()]
