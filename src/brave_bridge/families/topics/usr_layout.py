"""Whether /bin, /sbin and /lib are folders of their own, and what then stands twice."""

from brave_bridge.core.formats.text import one_line
from brave_bridge.core.survey.usr_layout import UsrLayout
from brave_bridge.machines.queries import Names, Query, Seen

_FOLDERS = ("/bin", "/sbin", "/lib")
_MOST = 100
QUERIES: tuple[Query, ...] = (Names(_FOLDERS),)


def further(seen: Seen) -> tuple[Query, ...]:
    """What stands in the folders that are apart, and in their like."""
    apart = _apart(seen)
    return (Names(tuple(f"{up}{folder}/*" for folder in apart for up in ("", "/usr"))),)


def read(seen: Seen) -> UsrLayout:
    """Links and folders that stand in both places are no fault: those are merged."""
    apart = _apart(seen)
    twice = [
        one_line(found.path, 120)
        for folder in apart
        for found in seen.paths(f"{folder}/*")
        if found.kind == "file"
        and (like := seen.found.get(f"/usr{found.path}")) is not None
        and like.kind == "file"
        and like.size != found.size
    ]
    return UsrLayout(apart, tuple(twice[:_MOST]))


def _apart(seen: Seen) -> tuple[str, ...]:
    return tuple(p for p in _FOLDERS if p in seen.found and seen.found[p].kind == "folder")
