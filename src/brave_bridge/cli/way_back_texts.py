"""The commands' words about ways back."""

from collections.abc import Iterable, Iterator
from datetime import UTC, datetime

from brave_bridge.core.formats.text import byte_size, counted, plain, shortened
from brave_bridge.core.ways_back.deadline import left_words
from brave_bridge.core.ways_back.difference_tree import Node
from brave_bridge.core.ways_back.retention import Fate
from brave_bridge.snapshots.catalogue import Snapshots
from brave_bridge.snapshots.choices import Choices
from brave_bridge.snapshots.description import Gone, Kept
from brave_bridge.snapshots.engines.engine import Mounted
from brave_bridge.snapshots.parts import Layout
from brave_bridge.snapshots.returning import Checked
from brave_bridge.snapshots.returns.journal import Journal
from brave_bridge.snapshots.returns.set_aside import SetAside
from brave_bridge.snapshots.trees.cover import HOME_SENTENCE
from brave_bridge.workbench.pages.ways_back import age_words
from brave_bridge.workbench.way_back import WayBack

_MARKS = {"came": "+", "gone": "-", "changed": "~", "attributes": ".", "": " "}
_MOST_LINES = 200


def ways_back_text(
    listed: Iterable[WayBack],
    aside: Iterable[SetAside],
    gone: Iterable[Gone],
    cut_off: Journal | None,
) -> Iterator[str]:
    """The ways back, oldest first, then what returns set aside, then those that ended."""
    if cut_off is not None:
        yield f"■ a return to {plain(cut_off.snapshot)} was cut off: run it again to finish it"
    rows = list(listed)
    if not rows:
        yield "There is no way back yet: brave-bridge snapshot makes one."
    today = datetime.now(UTC).date()
    for way in rows:
        yield from _way_back_lines(way, today)
    for one in aside:
        use = "in use until the restart" if one.in_use else "delete it when the machine is well"
        yield plain(f"◌ {one.id}  {one.mount} before the return of {one.since[:16]}: {use}")
    for one in gone:
        yield plain(f"○ {one.id}  ended {one.ended[:10]}: {one.why}")
    yield HOME_SENTENCE


def _way_back_lines(way: WayBack, today) -> Iterator[str]:
    snapshot, keeping, use = way.kept.snapshot, way.kept.keeping, way.kept.use
    mark = "■" if not way.kept.is_whole else "◆" if keeping.pinned else "◇"
    made = snapshot.created[:16].replace("T", " ")
    yield plain(
        f"{mark} {snapshot.id}  {made}  {snapshot.release}  {snapshot.reason}, "
        f"{age_words(snapshot.created, today)}"
    )
    if way.kept.fault:
        yield plain(f"    cannot be returned to: {way.kept.fault}")
    sizes = f"{byte_size(use.alone)} alone, {byte_size(use.shared)} shared, " if use else ""
    parts = ", ".join(f"{part.mount} by {part.engine}" for part in snapshot.parts)
    yield plain(f"    {sizes}{parts}")
    ends = left_words(way.days_left)
    yield plain(
        f"    {ends + '; ' if ends else ''}{'may go' if way.fate.goes else 'stays'}: {way.fate.why}"
    )


def checked_text(found: Checked) -> Iterator[str]:
    """What verifying found."""
    yield (
        f"{counted(found.entries, 'path')}, {byte_size(found.bytes_read)} read "
        f"in {found.seconds:.1f} s"
    )
    yield from (plain(f"■ {fault}") for fault in shortened(found.faults, 20))
    yield "■ damaged: it is not offered for a return" if found.faults else "● whole"


def difference_text(top: Node) -> Iterator[str]:
    """A tree of differences, the first lines of many."""
    if not top.count:
        yield "Nothing differs."
        return
    for number, (depth, node) in enumerate(_walk(top, 0)):
        if number == _MOST_LINES:
            yield "…  more: --json tells all"
            break
        sizes = f"{byte_size(node.before)} → {byte_size(node.after)}"
        count = f"  ({node.count})" if node.inner else ""
        yield plain(f"{'  ' * depth}{_MARKS[node.how]} {node.name}{count}  {sizes}")


def _walk(node: Node, depth: int) -> Iterator[tuple[int, Node]]:
    yield depth, node
    for inner in node.ordered():
        yield from _walk(inner, depth + 1)


def before_delete_text(snapshots: Snapshots, kept: Kept) -> Iterator[str]:
    """What deleting a way back would free."""
    yield plain(f"{kept.snapshot.id}: {kept.snapshot.release}, {kept.snapshot.reason}")
    if kept.is_whole:
        use = snapshots.use(kept)
        yield f"{byte_size(use.alone)} would be free; {byte_size(use.shared)} are shared and stay"


def gone_text(gone: Gone) -> Iterator[str]:
    """A way back that was deleted."""
    yield plain(f"{gone.id} is gone, {byte_size(gone.freed)} are free again")


def went(gone: Gone) -> Fate:
    """The fate of one that went."""
    return Fate(gone.id, True, gone.why)


def fates_text(fates: Iterable[Fate], *, dry_run: bool) -> Iterator[str]:
    """What goes and what stays, each with why."""
    rows = list(fates)
    word = "would go" if dry_run else "went"
    for fate in rows:
        yield plain(f"{fate.id} {word if fate.goes else 'stays'}: {fate.why}")
    if not rows:
        yield "There is no way back."


def keep_text(choices: Choices) -> Iterator[str]:
    """The retention rules in words."""
    rules = choices.retention
    yield f"the {rules.keep} newest stay"
    yield f"a crossing's way back stays {rules.days_after_proof} days after its proof passed"
    if rules.least_free_percent:
        yield f"below {rules.least_free_percent} % of room the oldest go"
    yield f"new ones are kept in {choices.keep_in or 'the state folder of the machine'}"
    yield "what is pinned stays, and so does the only one"


def cover_text(
    engines: Iterable[tuple[Mounted, str, str]], layout: Layout, left_out: Iterable[str]
) -> Iterator[str]:
    """What a snapshot would cover, and what not."""
    for mounted, engine, why in engines:
        yield plain(
            f"● {mounted.path} ({mounted.type or 'file system not known'}) by {engine}: {why}"
        )
    for other in layout.uncovered:
        yield plain(f"○ {other.path} not covered: {other.why}")
    yield from (plain(f"  left out {sentence}") for sentence in left_out)
    yield HOME_SENTENCE


def room_text(needed: int, free: int, *, has_copy: bool) -> str:
    """Whether a snapshot fits, before it is taken."""
    if not needed:
        return f"nothing is copied; {byte_size(free)} free"
    words = "a later one copies what changed" if has_copy else "a first one copies all of it"
    fits = "" if needed < free or has_copy else ": it does not fit"
    return f"{byte_size(needed)} are covered, {byte_size(free)} free; {words}{fits}"
