"""What can be done with a machine's ways back: list, look into, decide, return, expire."""

from collections.abc import Callable
from datetime import UTC, datetime, timedelta

import msgspec

from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.ways_back.deadline import days_left
from brave_bridge.core.ways_back.difference_tree import Changed, Node, difference_tree
from brave_bridge.core.ways_back.retention import Fate, Retention
from brave_bridge.runner.briefs import (
    CheckBrief,
    DecisionBrief,
    ReturnBrief,
    SnapshotBrief,
    encode_brief,
)
from brave_bridge.runner.expiry import expire, fates_of
from brave_bridge.snapshots.choices import CHOICES, Choices, read_choices
from brave_bridge.snapshots.description import Gone, Kept, Snapshot
from brave_bridge.snapshots.jobs.compare import ATTRIBUTES, CHANGED, EXTRA, MISSING, Difference
from brave_bridge.snapshots.returning import Checked, Returning
from brave_bridge.snapshots.returns.journal import Journal
from brave_bridge.snapshots.returns.set_aside import SetAside
from brave_bridge.snapshots.trees.manifest import FOLDER, decoded_path
from brave_bridge.store.rows import beginning_row, now
from brave_bridge.workbench.beginning import begin
from brave_bridge.workbench.desk import Desk, stamp
from brave_bridge.workbench.refusal import Refused
from brave_bridge.workbench.way_back import WayBack
from brave_bridge.workbench.ways.return_preview import ReturnPreview, preview_return
from brave_bridge.workbench.ways.went_back import write_went_back

_LIMIT = 4_000_000


class WaysBack:
    """The ways back of the machine at a desk."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk
        self.machine = desk.machine
        self.snapshots = desk.snapshots
        self.returning = desk.beside.returning

    # What there is

    def listed(self, *, with_uses: bool = True) -> list[WayBack]:
        """Every way back, oldest first, with its fate by the rules, its deadline and its size."""
        self.desk.must_read_records()
        known = self.snapshots.listed()
        if with_uses and known:
            known = self.snapshots.with_uses(known)
        fates = {fate.id: fate for fate in fates_of(self.machine, self.snapshots, known, now())}
        return [
            WayBack(
                kept=kept,
                fate=fates[kept.snapshot.id],
                days_left=days_left(kept.keeping.deadline, self.desk.today()),
            )
            for kept in known
        ]

    def gone(self) -> list[Gone]:
        """Those that ended, the newest first."""
        return self.snapshots.gone()

    def set_aside(self) -> list[SetAside]:
        """Systems that returns by exchanged subvolumes have set aside, oldest first."""
        return self.returning.set_aside()

    def delete_set_aside(self, identifier: str) -> int:
        """Delete one of them; the bytes that are free again. MachineError where it cannot go."""
        freed = self.returning.delete_set_aside(identifier)
        self._tell("delete", f"{identifier}, set aside by a return, is deleted")
        return freed

    def interrupted(self) -> Journal | None:
        """A return that was cut off, as its own disk tells it."""
        return self.returning.interrupted()

    # Taking and checking

    def begin_snapshot(self, reason: str, engine: str = "") -> str:
        """Begin to take one in a runner; the procedure's id."""
        line = self.desk.line()
        days = line.way_back_days if line else 0
        because = f"{line.name} ends every way back after {days} days" if days else ""
        brief = SnapshotBrief(reason.strip() or "by hand", engine, days, because)
        return begin(self.desk, "snapshot", f"a way back: {brief.reason}", brief, True)

    def begin_check(self, identifier: str) -> str:
        """Begin to read one again in a runner; the procedure's id."""
        kept = self.snapshots.kept(identifier)
        return begin(
            self.desk, "check", f"read {kept.snapshot.id} again", CheckBrief(identifier), True
        )

    # Deciding

    def pin(self, identifier: str, reason: str) -> Kept:
        """Keep one whatever the rules say."""
        kept = self._keep(identifier, pinned=True, pin_reason=reason.strip())
        self._tell("pin", f"{identifier} is pinned: {reason.strip() or 'no reason given'}")
        return kept

    def unpin(self, identifier: str) -> Kept:
        """Let the rules hold for one again."""
        kept = self._keep(identifier, pinned=False, pin_reason="")
        self._tell("unpin", f"{identifier} is not pinned any more")
        return kept

    def _keep(self, identifier: str, **changes: object) -> Kept:
        """Change what is decided about one: fields of Keeping."""
        keeping = self.snapshots.kept(identifier).keeping
        return self.snapshots.keep(identifier, msgspec.structs.replace(keeping, **changes))

    def set_deadline(self, identifier: str, wanted_end: str, reason: str = "") -> Kept:
        """Let one end on an ISO day, ``+N`` days later than it would, or never (``none``).

        Refused where what is asked for is none of these, is past, or the end cannot be moved.
        """
        kept = self.snapshots.kept(identifier)
        deadline = self._deadline(kept, wanted_end.strip())
        because = reason.strip() or ("set by hand" if deadline else "")
        changed = self._keep(identifier, deadline=deadline, deadline_reason=because)
        self._tell("deadline", f"{identifier} ends {deadline[:10] or 'never'}: {because}")
        return changed

    def _deadline(self, kept: Kept, wanted_end: str) -> str:
        present = kept.keeping.deadline
        if present and not kept.keeping.extendable:
            raise Refused(
                "moving the deadline", f"it cannot be moved: {kept.keeping.deadline_reason}"
            )
        if wanted_end == "none":
            return ""
        moment = datetime.now(UTC)
        try:
            if wanted_end.startswith("+"):
                start = max(datetime.fromisoformat(present), moment) if present else moment
                wanted = start + timedelta(days=int(wanted_end[1:]))
            else:
                wanted = datetime.fromisoformat(f"{wanted_end[:10]}T23:59:59+00:00")
        except (ValueError, OverflowError) as error:
            raise Refused(
                "moving the deadline", f"{wanted_end!r} is no day", "2026-12-24, +14 or none"
            ) from error
        if wanted <= moment:
            raise Refused("moving the deadline", f"{wanted_end} is past", "delete it instead")
        return wanted.isoformat(timespec="seconds")

    def delete(self, identifier: str, reason: str = "") -> Gone:
        """Delete one; Refused for the only whole one unless a reason is given."""
        whole = [snapshot.id for snapshot in self.snapshots.all()]
        if whole == [identifier] and not reason.strip():
            raise Refused(
                "deleting",
                f"{identifier} is the only way back",
                "take another one first, or give a reason",
            )
        gone = self.snapshots.delete(identifier, reason.strip() or "deleted by hand")
        self._tell("delete", f"{identifier} is deleted: {gone.why}")
        return gone

    def expire(self) -> tuple[list[Gone], list[Fate]]:
        """Delete what the rules let go; what went, and what stays and why."""
        went, stays = expire(self.machine, self.snapshots, now())
        for gone in went:
            self._tell("expire", f"{gone.id} ended: {gone.why}")
        return went, stays

    def set_retention(self, **changes) -> Retention:
        """Change the retention rules: fields of Retention."""

        def changed(known: Choices) -> Choices:
            rules = msgspec.structs.replace(known.retention, **changes)
            return msgspec.structs.replace(known, retention=rules)

        return CHOICES.change(self.machine.state, changed).retention

    @property
    def choices(self) -> Choices:
        """What was decided about cover, place and retention."""
        return read_choices(self.machine)

    def choose(self, **changes) -> Choices:
        """Change what was decided: fields of Choices."""
        return CHOICES.change(
            self.machine.state, lambda known: msgspec.structs.replace(known, **changes)
        )

    def _tell(self, kind: str, words: str) -> None:
        """Write what was decided into the logbook; a damaged one is set aside first."""
        self.desk.set_aside_damage()
        logbook = self.desk.logbook()
        identifier = f"{stamp()}-{kind}"
        brief = encode_brief(DecisionBrief(words))
        logbook.begin(beginning_row(identifier, kind, words, brief, unattended=True))
        logbook.set_state(identifier, "done", Outcome(state="done"))

    # Looking into them

    def compare(self, identifier: str, other: str = "") -> Node:
        """How the machine, or another way back, differs from a way back, as a tree.

        The way back is *before*, the machine or the other *after*.
        """
        snapshot = self.snapshots.find(identifier)
        if not other:
            found = self.returning.preview(snapshot)
            return difference_tree(_changed(d) for d in found.differences)
        return difference_tree(between(self.returning, snapshot, self.snapshots.find(other)))

    def file_then(self, identifier: str, path: str) -> bytes:
        """A file as a way back has it; MachineError where it is none or very long."""
        return self.returning.read_file(self._good_files_of(identifier), path, _LIMIT)

    def file_now(self, path: str) -> bytes:
        """The same file as the machine has it."""
        return self.machine.files.read(path, _LIMIT)

    def put_back(self, identifier: str, path: str) -> str:
        """Put one path back, with all below it; what it came to."""
        if self.desk.open_procedure() is not None:
            raise Refused("putting back", "a procedure has not ended", "go on with it first")
        done = self.returning.restore_path(self._good_files_of(identifier), path)
        self._tell("put-back", f"{done}, from {identifier}")
        return done

    def _good_files_of(self, identifier: str) -> Snapshot:
        """A way back for the sake of single files, each of which is checked as it is read."""
        return self.snapshots.find(identifier, though_damaged=True)

    def check(self, identifier: str) -> Checked:
        """Read one again, right here."""
        return self.returning.check(self.snapshots.kept(identifier).snapshot)

    # Returning

    def preview(
        self, identifier: str, tell: Callable[[int], None] = lambda done: None
    ) -> ReturnPreview:
        """What a return would do; nothing is changed by looking."""
        self.desk.must_read_records()
        return preview_return(self.desk, self._good_files_of(identifier), tell)

    def begin_return(
        self, snapshot: Snapshot, reason: str, *, note: bool = False, skip_damaged: bool = False
    ) -> str:
        """Begin to return in a runner; the procedure's id. The reason is kept.

        ``note``: keep the reason as a field note too, for every machine that faces the leg.
        ``skip_damaged``: files that are damaged in the way back stay as they are.
        """
        title = f"back to {snapshot.release} of {snapshot.created[:16].replace('T', ' ')}"
        brief = ReturnBrief(self.desk.family(), snapshot.id, reason, skip_damaged=skip_damaged)
        if note and reason.strip():
            write_went_back(self.desk, self._leg_of(snapshot), reason)
        return begin(self.desk, "return", title, brief, True)

    def _leg_of(self, snapshot: Snapshot) -> str:
        """The key of the leg that a way back was taken for; Refused where there is none."""
        line = self.desk.line()
        releases = line.releases if line else ()
        for start in releases:
            for end in releases:
                if snapshot.leg == f"{start.title} to {end.title}":
                    return f"{line.id}:{start.key}:{end.key}"
        raise Refused("writing the note", f"{snapshot.id} belongs to no leg of this line")


def between(returning: Returning, before: Snapshot, after: Snapshot):
    """How two ways back differ, by their manifests."""
    first = returning.entries(before)
    for path, entry in returning.entries(after).items():
        old = first.pop(path, None)
        if old is None:
            yield Changed(decoded_path(path), "came", 0, entry.size, entry.type == FOLDER)
        elif entry.what != old.what or entry.type != old.type or entry.size != old.size:
            yield Changed(decoded_path(path), "changed", old.size, entry.size, entry.type == FOLDER)
        elif not entry.same_attributes(old) and entry.type != FOLDER:
            yield Changed(decoded_path(path), "attributes", old.size, entry.size)
    for path, old in first.items():
        yield Changed(decoded_path(path), "gone", old.size, 0, old.type == FOLDER)


_HOW = {EXTRA: "came", MISSING: "gone", CHANGED: "changed", ATTRIBUTES: "attributes"}


def _changed(difference: Difference) -> Changed:
    return Changed(
        decoded_path(difference.path),
        _HOW[difference.how],
        difference.size,
        difference.live_size,
        FOLDER in (difference.type, difference.live_type),
    )
