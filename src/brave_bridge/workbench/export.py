"""Writing what a view shows to files that others can read."""

from pathlib import Path

import msgspec

from brave_bridge.core.formats.text import plain
from brave_bridge.drawings.bridge import bridge
from brave_bridge.drawings.bridge_picture import save_bridge
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.record import MachineRecord


def export_bridge(record: MachineRecord, folder: Path) -> list[Path]:
    """The machine's bridge as SVG and PDF; the paths written."""
    paths = [folder / f"{record.name}-bridge{ending}" for ending in (".svg", ".pdf")]
    for path in paths:
        save_bridge(bridge(record.bridge), f"{record.name} · {record.about}", path)
    return paths


def export_logbook(desk: Desk, folder: Path) -> list[Path]:
    """The whole logbook as Markdown: every request, command and output."""
    lines = [f"# Logbook of {desk.machine.name}", ""]
    for row in desk.procedures():
        lines += [f"## {row.kind}: {plain(row.title)}", "", f"{row.id}, {row.state}", ""]
        for entry in desk.logbook().entries(row.id):
            lines.append(f"- {entry.began} **{entry.title}** {plain(entry.note)}")
            reply = msgspec.json.decode(entry.reply) if entry.reply else {}
            if "output" in reply:
                argv = msgspec.json.decode(entry.request)["argv"]
                lines += ["", "  ```", f"  $ {' '.join(argv)}"]
                lines += [f"  {line}" for line in plain(reply["output"]).splitlines()]
                lines += ["  ```", ""]
        lines.append("")
    path = folder / f"{desk.machine.name}-logbook.md"
    path.write_text("\n".join(lines), encoding="utf-8")
    return [path]
