"""A plan as plain data that can be kept, shown and sent: each change with its reason."""

from collections.abc import Iterator
from functools import cached_property
from itertools import islice

from brave_bridge.core.formats.text import plain
from brave_bridge.core.packages.changes import PackageChange, PackageChanges
from brave_bridge.core.packages.package_version import Details, PackageVersion
from brave_bridge.core.packages.relation import Atom
from brave_bridge.core.planning.checker import Meaning, faults_of
from brave_bridge.core.planning.explanation import Explainer
from brave_bridge.core.planning.first_stage import first_stage
from brave_bridge.core.planning.needed import needed_slots
from brave_bridge.core.planning.package_plan import PackagePlan
from brave_bridge.core.planning.prices import prices
from brave_bridge.core.planning.successions import successions
from brave_bridge.core.planning.universe import Universe
from brave_bridge.core.survey.own_parts import is_own_package

_MOST_UNSOUND = 40
_MOST_REASONS = 400
"""More than anybody reads: the rest are told to be kept back like these."""


def told(universe: Universe, plan: PackagePlan, end: str) -> PackageChanges:
    """What a plan changes, with reasons and prices; ``end`` is what the new release is called."""
    explainer = Explainer(universe, plan)
    try:
        return _Telling(universe, plan, explainer, end).told()
    finally:
        explainer.close()


def bare(universe: Universe, plan: PackagePlan) -> PackageChanges:
    """What a plan changes and what not, without reasons and prices: enough to carry it out."""
    return _Telling(universe, plan, None, "").told()


class _Telling:
    """One plan being told."""

    def __init__(
        self, universe: Universe, plan: PackagePlan, explainer: Explainer | None, end: str
    ) -> None:
        self.universe = universe
        self.plan = plan
        self.explainer = explainer
        self.end = end
        self._explained = 0
        base = (slot for slot, one in plan.before.items() if one.package.is_base)
        self._base = needed_slots(universe, {}, base)

    def told(self) -> PackageChanges:
        plan = self.plan
        stage = first_stage(self.universe, plan.after)
        explainer = self.explainer if plan.kept_back else None
        return PackageChanges(
            removed=self._changes(plan.removed),
            kept_back=self._changes(plan.kept_back),
            new=self._changes(plan.new),
            upgraded=self._changes(plan.upgraded),
            first_stage=tuple(sorted(stage)),
            obsolete=tuple(sorted(self._obsolete())),
            ahead=tuple(sorted(self._ahead(), key=lambda change: change.name)),
            pinned=tuple(sorted(self._pinned(), key=lambda change: change.name)),
            levels=plan.levels,
            unchanged=self._unchanged() if self.explainer is None else {},
            successions=tuple(successions(self.universe, plan)) if self.explainer else (),
            unsound=tuple(self._unsound()) if self.explainer else (),
            prices=tuple(prices(self.universe, plan, explainer)) if explainer else (),
        )

    def _changes(self, slots: list[str]) -> tuple[PackageChange, ...]:
        return tuple(self._change(slot) for slot in sorted(slots))

    def _change(self, slot: str) -> PackageChange:
        one = self.plan.before.get(slot)
        old = one.package if one else None
        new = self.plan.after.get(slot)
        kept = old is not None and new is old
        coming = self.plan.candidates[slot] if kept else new
        arriving = new.details if new is not None and not kept else Details()
        leaving = old.details if old is not None and not kept else Details()
        known = coming or old
        return PackageChange(
            successor=self._successor(old) if new is None and old is not None else "",
            name=slot,
            old=old.version if old else "",
            new=coming.version if coming else "",
            reason=self._reason(self.explainer, slot, old, new) if self.explainer else "",
            download_bytes=arriving.download_bytes,
            disk_bytes=arriving.disk_bytes - leaving.disk_bytes,
            section=known.details.section if known else "",
            by_hand=one.by_hand if one is not None else slot in self.plan.preferences.add,
            base=slot in self._base or (old is None and new is not None and new.is_base),
        )

    def _successor(self, gone: PackageVersion) -> str:
        """The package that comes and says that it takes the place of one that goes."""
        for slot, atom in self._replacing.get(gone.name, ()):
            if self.universe.opposes(self.plan.after[slot], atom, gone):
                return slot
        return ""

    @cached_property
    def _replacing(self) -> dict[str, list[tuple[str, Atom]]]:
        """What each arriving package takes the place of, by the name of that."""
        found: dict[str, list[tuple[str, Atom]]] = {}
        for slot in (*self.plan.new, *self.plan.upgraded):
            for atom in self.plan.after[slot].replaces:
                found.setdefault(atom.name, []).append((slot, atom))
        return found

    def _reason(
        self,
        explainer: Explainer,
        slot: str,
        old: PackageVersion | None,
        new: PackageVersion | None,
    ) -> str:
        if old is None:
            return plain(explainer.why_new(slot).words)
        if new is not None and new is not old:
            return f"newer in {self.end}"
        self._explained += 1
        if self._explained > _MOST_REASONS:
            return "for the same reasons as those before"
        if new is None:
            return plain(explainer.why_gone(slot).words)
        return plain(explainer.why_kept(slot).words)

    def _unchanged(self) -> dict[str, str]:
        return {
            slot: one.package.version
            for slot, one in self.plan.before.items()
            if self.plan.after.get(slot) is one.package
        }

    def _unsound(self) -> Iterator[str]:
        """What is not as it must be among the packages that stand now."""
        before = {slot: one.package for slot, one in self.plan.before.items()}
        for fault in islice(faults_of(before, Meaning()), _MOST_UNSOUND):
            yield plain(f"{fault.package} {fault.what}")

    def _obsolete(self) -> Iterator[str]:
        """The packages that stay though no source has them any more."""
        for slot, version in self.plan.after.items():
            ours = is_own_package(version.name)
            if slot in self.plan.before and version.name not in self.universe.archive and not ours:
                yield slot

    def _pinned(self) -> Iterator[PackageChange]:
        """The packages that somebody keeps from a newer version which a source has."""
        archive = self.universe.archive
        for slot, one in self.plan.before.items():
            if self.plan.after.get(slot) is not one.package or slot in self.plan.candidates:
                continue
            there = archive.newest(slot, one.package.name)
            if there is None or there.key <= one.package.key:
                continue
            if reason := plain(archive.why_not_chosen(there)):
                old, new = one.package.version, there.version
                yield PackageChange(slot, old, new, reason, by_hand=one.by_hand)

    def _ahead(self) -> Iterator[PackageChange]:
        """The packages that stay newer than any source has them."""
        for slot, one in self.plan.before.items():
            if self.plan.after.get(slot) is not one.package:
                continue
            there = self.universe.archive.newest(slot, one.package.name)
            if there is not None and one.package.key > there.key:
                reason = f"newer here than in {self.end}"
                yield PackageChange(slot, one.package.version, there.version, reason)
