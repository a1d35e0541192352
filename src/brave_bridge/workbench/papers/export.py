"""Writing what a view shows to files that others can read."""

from collections.abc import Iterable
from datetime import UTC, datetime
from pathlib import Path

from brave_bridge.core.formats.text import plain, shortened
from brave_bridge.core.releases.catalogue import ReleaseLine
from brave_bridge.drawings.bridge import bridge
from brave_bridge.drawings.bridge_picture import save_bridge
from brave_bridge.drawings.space import SpaceBar, save_space
from brave_bridge.drawings.support import SupportBar, save_support
from brave_bridge.machines.opening.named import write_named
from brave_bridge.machines.room import free_bytes
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.lines import all_lines
from brave_bridge.workbench.members import fleet_members
from brave_bridge.workbench.reading import read_machine
from brave_bridge.workbench.record import MachineRecord
from brave_bridge.workbench.refusal import Refused
from brave_bridge.workbench.ways.ways_back import WaysBack


def export_bridge(record: MachineRecord, folder: Path) -> list[Path]:
    """The machine's bridge as SVG and PDF; the paths written."""
    paths = [folder / f"{record.name}-bridge{ending}" for ending in (".svg", ".pdf")]
    for path in paths:
        save_bridge(bridge(record.bridge), f"{record.name} · {record.about}", path)
    return paths


def support_bars(records: Iterable[MachineRecord]) -> list[SupportBar]:
    """A bar for each machine whose release is known, the one that ends first on top."""
    bars = []
    for record in records:
        release = record.surveyed.release if record.surveyed else None
        if release is not None:
            name = f"{record.surveyed.line.name} {release.title}"
            bars.append(SupportBar(record.name, name, release.released, release.support_ends))
    return sorted(bars, key=lambda bar: (bar.ends is None, bar.ends, bar.name))


def export_fleet(station: str, records: Iterable[MachineRecord], folder: Path) -> list[Path]:
    """Draw the support of a fleet's machines; those that cannot be drawn are named."""
    known = list(records)
    bars = support_bars(known)
    drawn = {bar.name for bar in bars}
    missing = [record.name for record in known if record.name not in drawn]
    more = f"; release not known: {', '.join(shortened(missing, 6))}" if missing else ""
    return save_bars(bars, f"Support left: {station}{more}", "fleet", folder)


def line_bars(line: ReleaseLine) -> list[SupportBar]:
    """A bar for each release of a line that is out or announced with dates."""
    return [
        SupportBar(release.title, release.title, release.released, release.support_ends)
        for release in line.releases
        if release.released
    ]


def save_bars(bars: list[SupportBar], title: str, name: str, folder: Path) -> list[Path]:
    """The support time line as SVG and PDF; the paths written."""
    paths = [folder / f"{name}-support{ending}" for ending in (".svg", ".pdf")]
    for path in paths:
        save_support(bars, title, datetime.now(UTC).date(), path)
    return paths


def export_support(words: tuple[str, ...], line: str, folder: Path) -> list[Path]:
    """Draw the support of a line's releases, or of all machines of a fleet; the paths written."""
    if line:
        found = next((known for known in all_lines() if line in (known.id, known.name)), None)
        if found is None:
            known = ", ".join(known.id for known in all_lines())
            raise Refused("drawing", f"there is no line {line}", f"known: {known}")
        return save_bars(line_bars(found), f"Support of {found.name}", found.id, folder)
    station, members = fleet_members(words, demo=False)
    return export_fleet(station, map(read_machine, members), folder)


def export_space(desk: Desk, folder: Path) -> list[Path]:
    """The space that the ways back take as SVG and PDF; the paths written."""
    bars = []
    for way in reversed(WaysBack(desk).listed()):
        snapshot, use = way.kept.snapshot, way.kept.use
        mark = "■" if not way.kept.is_whole else "◆" if way.kept.keeping.pinned else "◇"
        made = snapshot.created[:16].replace("T", " ")
        about = plain(way.kept.fault or snapshot.reason, 80)
        sizes = (use.alone, use.shared) if use else (0, 0)
        bars.append(SpaceBar(made, about, *sizes, mark))
    title = f"Ways back of {desk.machine.name}"
    paths = [folder / f"{desk.machine.name}-ways-back{ending}" for ending in (".svg", ".pdf")]
    for path in paths:
        save_space(bars, free_bytes(desk.machine), title, path)
    return paths


def export_logbook(desk: Desk, folder: Path) -> list[Path]:
    """The whole logbook as Markdown: every request, command and output."""
    lines = [f"# Logbook of {desk.machine.name}", ""]
    for row in desk.procedures():
        lines += [f"## {row.kind}: {plain(row.title)}", "", f"{row.id}, {row.state}", ""]
        for entry in desk.logbook().entries(row.id):
            lines.append(f"- {entry.began} **{entry.title}** {plain(entry.note)}")
            reply = entry.answered
            if "output" in reply:
                lines += ["", "  ```", f"  $ {plain(' '.join(entry.argv))}"]
                lines += [f"  {line}" for line in plain(str(reply["output"])).splitlines()]
                lines += ["  ```", ""]
        lines.append("")
    path = folder / f"{desk.machine.name}-logbook.md"
    return [write_named(path, "\n".join(lines).encode())]
