"""The text files that a small board's firmware boots from, and how they came the last time."""

import msgspec

from brave_bridge.bootloaders.without_menu import BOARD_FILES
from brave_bridge.core.boot.firmware_text import KeptText
from brave_bridge.core.formats.decoding import decode_json
from brave_bridge.core.survey.platform import BoardFile
from brave_bridge.machines.port import STATE_FOLDER
from brave_bridge.machines.queries import Contents, Query, Seen

_RECORDS = f"{STATE_FOLDER}/board"
QUERIES: tuple[Query, ...] = (Contents((f"{_RECORDS}/*.json",), 256 * 1024),)


def read(seen: Seen) -> tuple[BoardFile, ...]:
    """The files that are there; that settings reads them belongs to the loader's queries."""
    return tuple(_file(seen, path) for path in BOARD_FILES if path in seen.contents)


def _file(seen: Seen, path: str) -> BoardFile:
    record = f"{_RECORDS}/{path.strip('/').replace('/', '-')}.json"
    try:
        kept = decode_json(seen.contents.get(record, b"{}"), KeptText)
    except msgspec.DecodeError:
        kept = KeptText()
    return BoardFile(
        path=path,
        text=seen.text(path) or "",
        shipped=kept.shipped or seen.text(f"{path}.shipped") or "",
        written=kept.written,
        record=record,
    )
