"""Which releases a machine is offered: by its system's own setting, where that has one."""

from brave_bridge.core.formats.assignments import with_value
from brave_bridge.core.formats.text import decoded
from brave_bridge.workbench.decisions import keep_track
from brave_bridge.workbench.desk import Desk

_LIMIT = 64 * 1024


def change_track(desk: Desk, *, long_term_only: bool) -> None:
    """Offer long-term releases alone from now on, or every one.

    Where the system has a setting of its own, that is written: its tools and we agree then.
    """
    desk.must_read_records()
    line = desk.line()
    setting = line.track_setting if line else None
    if setting is not None:
        text = decoded(desk.machine.files.read_if_there(setting.path, _LIMIT) or b"")
        value = setting.long_term if long_term_only else setting.every
        desk.machine.files.write(setting.path, with_value(text, setting.key, value).encode())
    keep_track(desk.machine, long_term_only)
