"""The pictures of all views as files, and a machine's report: what ``draw`` writes."""

from collections.abc import Callable, Sequence
from datetime import UTC, date, datetime
from pathlib import Path

from brave_bridge.core.formats.text import plain
from brave_bridge.drawings.chart import Chart
from brave_bridge.drawings.chart_figure import save_chart
from brave_bridge.drawings.document import Part, Section, save_document
from brave_bridge.workbench.members import FleetMember, fleet_members
from brave_bridge.workbench.pages.crossing import crossing_page
from brave_bridge.workbench.pages.fleet import fleet_page
from brave_bridge.workbench.pages.kernels import kernels_page
from brave_bridge.workbench.pages.logbook import logbook_page
from brave_bridge.workbench.pages.page import Page
from brave_bridge.workbench.pages.plan import plan_page
from brave_bridge.workbench.pages.proof import proof_page
from brave_bridge.workbench.pages.route import route_page
from brave_bridge.workbench.pages.survey import survey_page
from brave_bridge.workbench.pages.ways_back import ways_back_page
from brave_bridge.workbench.papers.export import export_bridge
from brave_bridge.workbench.pictures.survey import fleet_topics
from brave_bridge.workbench.reading import read_machine
from brave_bridge.workbench.record import MachineRecord
from brave_bridge.workbench.refusal import Refused
from brave_bridge.workbench.roles import known_roles
from brave_bridge.workbench.targets import Target

PAGES: dict[str, Callable[[MachineRecord, date], Page]] = {
    "survey": lambda record, today: survey_page(record),
    "route": route_page,
    "plan": lambda record, today: plan_page(record, known_roles(), frozenset()),
    "crossing": lambda record, today: crossing_page(record),
    "proof": lambda record, today: proof_page(record),
    "ways-back": lambda record, today: ways_back_page(record),
    "kernels": lambda record, today: kernels_page(record),
    "logbook": lambda record, today: logbook_page(record, {}),
}
"""The views of one machine that have a picture, in the order of the work."""

OF_FLEET = ("fleet", "topics")
NAMES = (*OF_FLEET, "bridge", *PAGES)
_ENDINGS = (".svg", ".pdf")


def today() -> date:
    """The day that drawings are of."""
    return datetime.now(UTC).date()


def draw(
    name: str, target: Target, folder: Path, machine: str = "", *, every: bool = False
) -> list[Path]:
    """Draw a view as SVG and PDF; the paths written.

    ``machine`` is one of the fleet by its name, ``every`` draws for all of them. Machines are
    read first, however long that takes. Refused for a name that is none, or where nothing is
    to be drawn.
    """
    if name not in NAMES:
        raise Refused("drawing", f"there is no picture {name}", f"there are: {', '.join(NAMES)}")
    station, members = fleet_members(target.words, demo=False)
    if name in OF_FLEET:
        records = [read_machine(member) for member in members]
        chart = fleet_topics(records) if name == "topics" else fleet_page(records, today()).picture
        return saved(chart, folder / f"{station.casefold().replace(' ', '-')}-{name}", name)
    chosen = _chosen(target, members, machine, every=every)
    records = [read_machine(member) for member in chosen]
    paths = [path for record in records for path in draw_view(name, record, folder)]
    if not paths:
        raise Refused("drawing", f"there is nothing to draw of {name}", _why_nothing(name))
    return paths


def _why_nothing(name: str) -> str:
    needed = {
        "plan": "plan the way first: brave-bridge plan",
        "proof": "a proof is made at the end of a crossing",
        "crossing": "nothing was carried out yet",
        "logbook": "nothing was carried out yet",
        "ways-back": "take a way back first: brave-bridge snapshot",
    }
    return needed.get(name, "look whether the machine can be read: brave-bridge survey")


def _chosen(
    target: Target, members: Sequence[FleetMember], machine: str, *, every: bool
) -> list[FleetMember]:
    """The machines that are meant: all, one by name, or the one that the command line names."""
    if every:
        return list(members)
    machine = machine or (target.value if target.kind == "demo" else "")
    if not machine:
        return list(members[:1])
    found = [member for member in members if member.name == machine]
    if not found:
        known = ", ".join(member.name for member in members)
        raise Refused("drawing", f"there is no machine {machine}", f"there are: {known}")
    return found


def draw_view(name: str, record: MachineRecord, folder: Path) -> list[Path]:
    """One view of one machine; nothing where it has no picture now."""
    if name == "bridge":
        return export_bridge(record, folder)
    page = PAGES[name](record, today())
    return saved(page.picture, folder / f"{record.name}-{name}-picture", record.name)


def saved(chart: Chart | None, stem: Path, about: str) -> list[Path]:
    """A chart under a name with both endings; nothing where there is none."""
    if chart is None or not (chart.lanes or chart.curves):
        return []
    paths = [stem.with_name(stem.name + ending) for ending in _ENDINGS]
    for path in paths:
        save_chart(chart, path)
    return paths


def report(record: MachineRecord, folder: Path) -> Path:
    """All views of a machine, each with its picture and its list, as one PDF; its path."""
    parts = [
        Part(
            title=f"{record.name} · {name.replace('-', ' ')}",
            about=plain(page.summary),
            picture=page.picture,
            sections=tuple(_sections(page)),
            columns=2,
        )
        for name, page in ((name, make(record, today())) for name, make in PAGES.items())
        if page.rows
    ]
    path = folder / f"{record.name}-report.pdf"
    save_document(parts or [Part(f"{record.name}: nothing is known of it")], path)
    return path


def report_of(target: Target, folder: Path, machine: str = "") -> Path:
    """The report of the machine that is meant, or of one of the fleet by its name."""
    _, members = fleet_members(target.words, demo=False)
    return report(read_machine(_chosen(target, members, machine, every=False)[0]), folder)


def _sections(page: Page) -> list[Section]:
    """A page's rows as text, under their headings."""
    sections: list[tuple[str, list[str]]] = [("", [])]
    for row in page.rows:
        words = [plain(cell) for cell in row.cells if cell]
        if row.tone == "heading":
            sections.append((" ".join(words), []))
        elif not row.folded:
            sections[-1][1].append("- " + "  ".join(words))
    return [Section(heading, tuple(lines)) for heading, lines in sections if lines or heading]
