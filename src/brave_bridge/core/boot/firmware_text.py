"""The text files from which a small board's firmware boots: settings, and the kernel's options.

``config.txt`` has ``key=value`` lines in sections that hold for some boards; ``cmdline.txt`` is
one line. Text in, text out: what is not understood stays as it is.
"""

import re
from collections.abc import Iterator

import msgspec

_SETTING = re.compile(r"^([ \t]*)([A-Za-z_]\w*)([ \t]*=[ \t]*)(.*?)([ \t\r]*)$")
_SECTION = re.compile(r"^[ \t]*\[([^\]\n]*)\][ \t\r]*$")
FOR_ALL = "all"
_MANY_TIMES = frozenset(("dtoverlay", "dtparam", "device_tree_param", "include", "gpio"))
"""Settings of which each line counts, not only the last."""


class FirmwareSetting(msgspec.Struct, frozen=True):
    """One setting: the board's section, its key and value. ``number`` counts lines from 0."""

    number: int
    section: str
    key: str
    value: str

    @property
    def name(self) -> tuple[str, ...]:
        """What makes two lines the same setting."""
        more = (self.value,) if self.key in _MANY_TIMES else ()
        return (self.section, self.key, *more)


def firmware_settings(text: str) -> Iterator[FirmwareSetting]:
    """The settings of a config.txt, in their order."""
    section = FOR_ALL
    for number, line in enumerate(text.split("\n")):
        if match := _SECTION.match(line):
            section = match[1].strip().lower()
        elif match := _SETTING.match(line):
            yield FirmwareSetting(number, section, match[2], match[4])


def setting_in(text: str, key: str, section: str = FOR_ALL) -> str:
    """The last value of a key in a section; empty where it has none."""
    values = [s.value for s in firmware_settings(text) if (s.section, s.key) == (section, key)]
    return values[-1] if values else ""


def with_firmware_setting(text: str, key: str, value: str, section: str = FOR_ALL) -> str:
    """The text with another value: on its last line, else at the end of the last such section."""
    if "\n" in value or "\r" in value or value != value.strip(" \t"):
        raise ValueError(f"no value of one line: {value!r}")
    lines = text.split("\n")
    mine = [s for s in firmware_settings(text) if (s.section, s.key) == (section, key)]
    if mine:
        match = _SETTING.match(lines[mine[-1].number])
        assert match is not None
        lines[mine[-1].number] = f"{match[1]}{match[2]}{match[3]}{value}{match[5]}"
        return "\n".join(lines)
    return _with_line(text, section, f"{key}={value}")


def carried_over(base: str, mine: str, theirs: str) -> tuple[str, tuple[str, ...]]:
    """The newer text with the settings that were changed by hand, and what there is to tell.

    ``base`` is the text as it was shipped before, ``mine`` the present one, ``theirs`` as it is
    shipped now. Where both changed a setting, mine stays. What was taken out by hand and is
    shipped again stays in: that is told.
    """
    before, now, new = _by_name(base), _by_name(mine), _by_name(theirs)
    result, told = theirs, []
    for name, setting in now.items():
        was, will = _value(before, name), _value(new, name)
        if setting.value in (was, will):
            continue
        if will not in ("", was):
            told.append(f"{setting.key}={setting.value} stays, {will} is shipped now")
        result = _carried(result, setting)
    for name in sorted(before.keys() & new.keys() - now.keys()):
        told.append(f"{new[name].key}={new[name].value} was taken out by hand and is shipped again")
    return result, tuple(told)


class KeptText(msgspec.Struct, frozen=True):
    """What is kept of a file: as it came the last time, and what was made of it then."""

    shipped: str = ""
    written: str = ""


def options_carried_over(base: str, mine: str, theirs: str) -> tuple[str, tuple[str, ...]]:
    """The same for the kernel's options in one line; of what may stand several times all stay."""
    before, now, new = base.split(), mine.split(), theirs.split()
    result, told = list(new), []
    for word in now:
        if word in before or word in result:
            continue
        key = word.partition("=")[0]
        others = [one for one in result if one.partition("=")[0] == key]
        if others and key not in _REPEATED:
            told.append(f"{word} stays, {others[-1]} is shipped now")
            result[result.index(others[-1])] = word
        else:
            result.append(word)
    ending = "\n" if theirs.endswith("\n") else ""
    return (" ".join(result) + ending if result != new else theirs), tuple(told)


_REPEATED = frozenset(("console", "earlycon", "modprobe.blacklist", "module_blacklist"))


def _by_name(text: str) -> dict[tuple[str, ...], FirmwareSetting]:
    return {setting.name: setting for setting in firmware_settings(text)}


def _value(settings: dict[tuple[str, ...], FirmwareSetting], name: tuple[str, ...]) -> str:
    return settings[name].value if name in settings else ""


def _carried(text: str, setting: FirmwareSetting) -> str:
    if setting.key not in _MANY_TIMES:
        return with_firmware_setting(text, setting.key, setting.value, setting.section)
    return _with_line(text, setting.section, f"{setting.key}={setting.value}")


def _with_line(text: str, section: str, line: str) -> str:
    """The text with one more line in a section, at its end."""
    gap = "" if not text or text.endswith("\n") else "\n"
    sections = [m[1].strip().lower() for one in text.split("\n") if (m := _SECTION.match(one))]
    # A section goes on to the file's end: only in another one has this one to be opened again.
    opened = f"[{section}]\n" if (sections or [FOR_ALL])[-1] != section else ""
    return f"{text}{gap}{opened}{line}\n"
