"""GRUB's settings, /etc/default/grub: shell assignments, text in, text out.

A value in which the shell would put something else in place is not understood, and so never
changed in its place: another line at the end says it anew, and the last one holds.
"""

import re
import shlex

_LINE = re.compile(r"^([ \t]*(?:export[ \t]+)?)([A-Za-z_]\w*)=(.*)$")
_COMPUTED = re.compile(r"[$`]")


def settings_in(text: str) -> dict[str, str | None]:
    """Each variable with its last value; None where only a shell could tell what that is."""
    found: dict[str, str | None] = {}
    for name, raw in _assignments(text):
        found[name] = _value(raw)
    return found


def _assignments(text: str) -> list[tuple[str, str]]:
    return [(m[2], m[3]) for line in text.split("\n") if (m := _LINE.match(line))]


def _value(raw: str) -> str | None:
    """The value as the shell has it, of one word with a comment behind it or none."""
    if _COMPUTED.search(raw) or raw.rstrip("\r").endswith("\\"):
        return None
    try:
        words = shlex.split(raw, comments=True)
    except ValueError:
        return None
    if len(words) > 1:
        return None
    return words[0] if words else ""


def with_setting(text: str, name: str, value: str) -> str:
    """The text with another value of a variable: in the place of its last line, else at the end.

    ValueError where the shell would not read it so: for the value, or for a quote without end.
    """
    if not _is_whole(text):
        raise ValueError("a quote in it has no end")
    if any(letter in value for letter in "\n\r$`"):
        raise ValueError(f"a value that the shell would read otherwise: {value!r}")
    lines = text.split("\n")
    mine = [n for n, line in enumerate(lines) if (m := _LINE.match(line)) and m[2] == name]
    escaped = value.replace("\\", "\\\\").replace('"', '\\"')
    if mine and settings_in(lines[mine[-1]])[name] is not None:
        match = _LINE.match(lines[mine[-1]])
        assert match is not None
        lines[mine[-1]] = f'{match[1]}{name}="{escaped}"{_comment(match[3])}'
        return "\n".join(lines)
    gap = "" if not text or text.endswith("\n") else "\n"
    return f'{text}{gap}{name}="{escaped}"\n'


def _is_whole(text: str) -> bool:
    """Whether every quote ends on the line that it begins on, as lines are changed one by one."""
    try:
        for line in text.split("\n"):
            shlex.split(line, comments=True)
    except ValueError:
        return False
    return True


def _comment(raw: str) -> str:
    """The comment behind a value, with the spaces before it."""
    quote = ""
    for place, letter in enumerate(raw):
        if quote:
            quote = "" if letter == quote else quote
        elif letter in "'\"":
            quote = letter
        elif letter == "#" and place and raw[place - 1] in " \t":
            return raw[len(raw[:place].rstrip(" \t")) :]
    return ""
