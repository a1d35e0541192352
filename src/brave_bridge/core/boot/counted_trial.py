"""systemd-boot: an entry is tried once by boot counting, with the known good one behind it.

Files alone (the Boot Loader Specification, and systemd's Automatic Boot Assessment): the entry
on trial has one try and sorts first. The loader takes the try away before it starts it, and an
entry without tries sorts behind all others, so that every later boot takes the good one, which
sorts second. No default may be named meanwhile: a named one is taken whatever its tries are.
"""

import re

from brave_bridge.core.boot.entries import OURS, TRIAL_ID
from brave_bridge.core.boot.grub_trial import ON_TRIAL
from brave_bridge.core.boot.keyed_text import keyed_lines, with_key_value
from brave_bridge.core.boot.loader_entries import read_loader_entry, with_options

TRIAL_STEM, GOOD_STEM = TRIAL_ID, f"{OURS}good"
TRIAL_NAME, GOOD_NAME = f"{TRIAL_STEM}+1.conf", f"{GOOD_STEM}.conf"
TRIAL_FILE = f"{TRIAL_STEM}.conf"
"""What the loader calls the entry on trial, whatever its tries."""

_SORTS_FIRST, _SORTS_SECOND = "00-brave-bridge-a", "00-brave-bridge-b"
_SET_ASIDE = "#brave-bridge-set-aside "


def trial_entry(text: str, trial: str, panic_seconds: int = 10) -> str:
    """The entry of a file as it is tried; ValueError where it starts nothing."""
    entry = read_loader_entry(text)
    if entry is None:
        raise ValueError("the entry starts nothing")
    if not re.fullmatch(r"[\w.:-]{1,80}", trial):
        raise ValueError(f"no name for a trial: {trial!r}")
    options = f"{entry.options} panic={panic_seconds} {ON_TRIAL}={trial}".strip()
    text = with_options(text, options)
    text = with_key_value(text, "title", "On trial, started once")
    return with_key_value(text, "sort-key", _SORTS_FIRST)


def good_entry(text: str) -> str:
    """The entry of a file as it stands behind a trial."""
    return with_key_value(text, "sort-key", _SORTS_SECOND)


def without_default(text: str) -> str:
    """loader.conf without its default, which is kept in a comment."""
    lines = text.split("\n")
    for line in keyed_lines(text):
        if line.key == "default":
            lines[line.number] = _SET_ASIDE + lines[line.number]
    return "\n".join(lines)


def with_default_again(text: str) -> str:
    """loader.conf with the default that was set aside."""
    lines = text.split("\n")
    return "\n".join(line.removeprefix(_SET_ASIDE) for line in lines)


def is_set_aside(text: str) -> bool:
    """Whether the default of a loader.conf was set aside."""
    return any(line.startswith(_SET_ASIDE) for line in text.split("\n"))


def is_of_trial(name: str) -> bool:
    """Whether a file's name is one of those that a trial brings, whatever its tries."""
    return bool(re.fullmatch(rf"({TRIAL_STEM}|{GOOD_STEM})(\+\d+(-\d+)?)?\.conf", name))
