"""GRUB: an entry is tried once, and every later boot takes the known good one by itself.

What is written goes into ``custom.cfg``, which the generated menu reads at its end (GRUB manual,
"Multi-boot manual config"), and into the environment block: no generated file is touched. The
loader takes the mark of the trial out of its block before it starts the entry. So whatever
becomes of the trial (a panic, a hang that somebody ends, a power cut), the boot after it is good.
"""

import re

import msgspec

from brave_bridge.core.boot.entries import TRIAL_ID
from brave_bridge.core.boot.grub_menu import GrubMenu, commands_of, found_by

MARK = "brave_bridge_trial"
"""The variable in the environment block; ``1`` until the trial was started."""

ON_TRIAL = "brave_bridge.trial"
"""The kernel option by which the system itself knows that it is on trial."""

_OF_TRIAL = re.compile(rf"(?:(?<!\S)panic=\d+ +)?(?<!\S){re.escape(ON_TRIAL)}=\S+")

_SAVES = re.compile(r"^\s*(savedefault|save_env|recordfail)\b")


class Remembering(msgspec.Struct, frozen=True):
    """Where the loader can write its mark: its own block, or a file on another file system.

    ``uuid`` and ``file`` are empty for the block that it loads anyway.
    """

    uuid: str = ""
    file: str = ""


def reads_custom(menu_text: str) -> bool:
    """Whether a generated menu reads custom.cfg."""
    return "custom.cfg" in menu_text


def trial_part(
    menu_text: str,
    menu: GrubMenu,
    chosen: str,
    good: str,
    trial: str,
    panic_seconds: int = 10,
    remembering: Remembering = Remembering(),
) -> str:
    """What custom.cfg gets: the entry ``chosen`` with its trial's options, and when it is taken.

    ``good`` is the id that every other boot takes, ``trial`` names the trial to the system that
    comes up. ValueError where the menu has no such entries.
    """
    entry = found_by(menu, chosen)
    if entry is None or not entry.image:
        raise ValueError(f"the menu has no entry {chosen!r} that starts a kernel")
    if found_by(menu, good) is None:
        raise ValueError(f"the menu has no entry {good!r} to fall back to")
    options = f"panic={panic_seconds} {ON_TRIAL}={_word(trial)}"
    return "\n".join(
        (
            *_entry_lines(menu_text, entry.id, options),
            *_choice_lines(good, remembering),
        )
    )


def without_trial(options: str) -> str:
    """Options of a kernel without those by which a trial started it: they end with the trial."""
    return _OF_TRIAL.sub("", options).strip()


def default_part(identifier: str) -> str:
    """What custom.cfg gets so that an entry is booted whatever the menu's own default is."""
    return f"set default={quoted(identifier)}\n"


def _word(text: str) -> str:
    if not re.fullmatch(r"[\w.:-]{1,80}", text):
        raise ValueError(f"no name for a trial: {text!r}")
    return text


def _entry_lines(menu_text: str, identifier: str, options: str) -> list[str]:
    body = commands_of(menu_text, identifier)
    lines = [f"menuentry 'On trial, started once' --id {TRIAL_ID} {{"]
    for line in body:
        if _SAVES.match(line):
            continue
        starts = re.match(r"^\s*linux(?:16|efi)?\s", line)
        lines.append(f"{line.rstrip()} {options}" if starts else line)
    return [*lines, "}"]


def _choice_lines(good: str, remembering: Remembering) -> list[str]:
    if remembering.file:
        device = "brave_bridge_esp"
        where = f"--file (${{{device}}}){remembering.file}"
        load = [
            f"search --no-floppy --fs-uuid --set={device} {remembering.uuid}",
            f"load_env {where} {MARK}",
        ]
    else:
        where, load = "", []
    save = f"save_env {where} {MARK}".replace("  ", " ")
    return [
        *load,
        f'if [ "${{{MARK}}}" = "1" ]; then',
        f"  set {MARK}=0",
        f"  {save}",
        f"  set default={TRIAL_ID}",
        "else",
        f"  set default={quoted(good)}",
        "fi",
    ]


def quoted(text: str) -> str:
    """A text as one word of GRUB's."""
    if "\n" in text or "'" in text:
        raise ValueError(f"no word of the loader's: {text!r}")
    return f"'{text}'"
