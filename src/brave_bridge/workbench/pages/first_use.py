"""What the screen says while there is nothing to show yet: what is done, and what comes."""

from brave_bridge.core.formats.text import counted
from brave_bridge.workbench.demo import demo_fleet
from brave_bridge.workbench.pages.page import Column, Note, Page, Row, said, title

COLUMNS = (Column("", 2), Column("the demo fleet is being built", 30), Column(""))
ARCHIVES = "archives"
_WHAT = "packages, indices and keys of the made-up distributions"


_ABOUT = (
    title("What comes"),
    *said(
        "A fleet of made-up machines is built in your own folder: real files, packages, "
        "signatures and a package manager of their own. Nothing else is touched.",
        "Then every machine is read and judged, and the fleet stands here, the ones "
        "that need you first. On each machine the line Next says what to do.",
    ),
    Note("do", "Enter opens a machine; ? lists the keys; q leaves"),
)


def building_page(now: str) -> Page:
    """The demo fleet while it is built; ``now`` is the machine, or the archives, under way."""
    steps = [(ARCHIVES, _WHAT), *((m.name, m.about) for m in demo_fleet().machine)]
    at = next((n for n, (name, _) in enumerate(steps) if name == now), 0)
    left = len(steps) - at
    rows = tuple(
        Row(
            key=name,
            cells=("●" if n < at else "◌" if n == at else "○", name, about),
            tone="quiet" if n > at else "chosen" if n == at else "clear",
            why=_ABOUT,
        )
        for n, (name, about) in enumerate(steps)
    )
    return Page(
        f"the first start: {counted(left, 'step')} left, a second or two each",
        COLUMNS,
        rows,
        about=_ABOUT,
        start=now,
    )
