"""Settings of a small board that were made by hand, carried over what a leg ships anew.

A package may write these files as they come from the maker: no package manager asks about them.
"""

import msgspec

from brave_bridge.core.boot.firmware_text import (
    KeptText,
    carried_over,
    options_carried_over,
)
from brave_bridge.core.crossing.replies import FileText
from brave_bridge.core.crossing.requests import Script, WriteFiles
from brave_bridge.core.crossing.stage import warned
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.platform import BoardFile


def carry_board_settings(before: Facts, now: Facts) -> Script[tuple[str, ...]]:
    """Put back what was set by hand ``before`` a leg; what a person has to know."""
    told: tuple[str, ...] = ()
    there = {file.path: file for file in now.board}
    for mine in before.board:
        theirs = there.get(mine.path)
        if theirs is None:
            told += yield from _write(mine.path, mine.text, mine, "")
            told += (f"{mine.path} was gone behind the leg: it is as it was before",)
        elif theirs.text not in (mine.text, theirs.written):
            told += yield from _carried(mine, theirs)
    return told


def _carried(mine: BoardFile, theirs: BoardFile) -> Script[tuple[str, ...]]:
    merge = options_carried_over if mine.path.endswith("/cmdline.txt") else carried_over
    text, told = merge(mine.shipped, mine.text, theirs.text)
    told = tuple(f"{mine.path}: {words}" for words in told)
    if text != theirs.text:
        told += (f"{mine.path} came anew: what was set by hand is in it again",)
    return told + (yield from _write(mine.path, text, theirs, theirs.text))


def _write(path: str, text: str, file: BoardFile, shipped: str) -> Script[tuple[str, ...]]:
    record = msgspec.json.encode(KeptText(shipped or file.shipped, text)).decode()
    files = (FileText(path, text), FileText(file.record, record))
    return (
        yield from warned(
            WriteFiles(title=f"Carry the board's settings over: {path}", files=files),
            f"the settings of before are not in {path}",
        )
    )
