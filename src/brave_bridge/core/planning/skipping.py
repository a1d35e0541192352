"""What a jump over a release would leave out, computed for one machine.

Dependencies alone show little of it: most guards that a release carries for the one before
are dropped in the next. So the rule of the line comes first; this is the evidence beside it.
"""

from collections.abc import Iterable, Iterator, Mapping

import msgspec

from brave_bridge.core.formats.text import plain
from brave_bridge.core.packages.changes import Skipping
from brave_bridge.core.packages.package_version import Installed, PackageVersion
from brave_bridge.core.packages.relation import Atom, holds
from brave_bridge.core.planning.checker import Meaning, faults_of
from brave_bridge.core.planning.package_plan import PackagePlan
from brave_bridge.core.planning.universe import Archive

_PASSING_SECTIONS = ("oldlibs",)


class LostGuard(msgspec.Struct, frozen=True):
    """A guard that only the release in the middle carries.

    There ``guard`` breaks or replaces ``other`` (so that files may move from one to the other);
    its last version says nothing of it any more, so the jump may overwrite files.
    """

    guard: PackageVersion
    other: PackageVersion
    text: str

    @property
    def words(self) -> str:
        """It in a sentence without a full stop."""
        return (
            f"{self.guard.title} takes over from {self.text}; later versions do not say so, "
            f"and {self.other.title} is here"
        )


class Comparison(msgspec.Struct, frozen=True, kw_only=True):
    """A direct jump held against the way step by step. Names are slots.

    ``unmet``: what would stand with needs that nothing meets, if everything were upgraded.
    ``left_at_old``: still of the first release after the jump, upgraded or gone step by step.
    ``never_installed``: passing packages that the steps install for a while.
    ``mixed_base``: required and important packages that the jump leaves behind.
    """

    unmet: tuple[str, ...]
    left_at_old: tuple[str, ...]
    lost: tuple[str, ...]
    never_installed: tuple[str, ...]
    guards: tuple[LostGuard, ...]
    mixed_base: tuple[str, ...]
    migrations: tuple[str, ...] = ()
    """What scripts of the releases between do once, and those of the last no longer do."""

    def told(self) -> Skipping:
        """It as plain data."""
        return Skipping(
            sentence=self.sentence,
            unmet=tuple(plain(words) for words in self.unmet),
            left_at_old=self.left_at_old,
            lost=self.lost,
            never_installed=self.never_installed,
            guards=tuple(plain(guard.words) for guard in self.guards),
            mixed_base=self.mixed_base,
            migrations=self.migrations,
        )

    @property
    def sentence(self) -> str:
        """What an administrator can show to somebody who asks why not straight."""
        parts = []
        if self.mixed_base:
            parts.append(f"leave {_number(self.mixed_base, 'part')} of the base system behind")
        if self.guards:
            parts.append(
                f"lose {_number(self.guards, 'guard')} against overwritten files that only the "
                "release between carries"
            )
        if self.migrations:
            parts.append(f"miss {_number(self.migrations, 'config migration')}")
        if self.left_at_old:
            left = _number(self.left_at_old, "package")
            parts.append(f"leave {left} at the version of now")
        if self.lost:
            parts.append(f"take away {_number(self.lost, 'package')} that the steps keep")
        if self.never_installed:
            parts.append(f"pass over {_number(self.never_installed, 'passing package')}")
        if self.unmet:
            parts.append(f"run into {_number(self.unmet, 'thing')} that cannot stand together")
        if not parts:
            return "The packages alone show nothing that the jump would break on this machine."
        *first, last = parts
        words = f"{', '.join(first)} and {last}" if first else last
        return f"On this machine the jump would {words}."


def _number(found: tuple, word: str) -> str:
    return f"{len(found)} {word}" if len(found) == 1 else f"{len(found)} {word}s"


def compare_ways(
    direct: PackagePlan,
    steps: Iterable[PackagePlan],
    middles: Iterable[Archive],
    migrations: tuple[str, ...] = (),
) -> Comparison:
    """Compare a jump with the plans of the legs it would skip.

    ``middles`` are the archives of the releases between; ``migrations`` what scripts between do.
    """
    steps = list(steps)
    last = steps[-1].after
    before = direct.before
    left = tuple(
        slot
        for slot, one in before.items()
        if direct.after.get(slot) is one.package and _is_other(last.get(slot), one)
    )
    lost = tuple(slot for slot in before if slot not in direct.after and slot in last)
    return Comparison(
        unmet=tuple(_unmet(direct, last)),
        left_at_old=left,
        lost=lost,
        never_installed=tuple(_never_installed(direct, steps)),
        guards=tuple(guard for middle in middles for guard in _lost_guards(direct, middle)),
        mixed_base=tuple(slot for slot in left if before[slot].package.is_base),
        migrations=migrations,
    )


def _is_other(version: PackageVersion | None, one: Installed) -> bool:
    return version is None or version.version != one.package.version


def _unmet(direct: PackagePlan, last: Mapping[str, PackageVersion]) -> Iterator[str]:
    """What stands in the way of simply upgrading everything at once.

    What goes away on both ways, as a library does whose successor has another name, is in
    nobody's way.
    """
    stay = direct.after.keys() | last.keys()
    ideal = {slot: one.package for slot, one in direct.before.items() if slot in stay}
    ideal |= {slot: version for slot, version in direct.candidates.items() if slot in stay}
    ideal |= {slot: version for slot, version in direct.after.items() if slot not in ideal}
    for fault in faults_of(ideal, Meaning()):
        yield f"{fault.package} {fault.what}"


def _never_installed(direct: PackagePlan, steps: list[PackagePlan]) -> Iterator[str]:
    """Packages of the steps that exist to lead from old names to new ones."""
    for step in steps[:-1]:
        for slot in (*step.new, *step.upgraded):
            version = step.after[slot]
            after = direct.after.get(slot)
            if version.details.section.rpartition("/")[2] in _PASSING_SECTIONS and (
                after is None or after.version != version.version
            ):
                yield slot


def _lost_guards(direct: PackagePlan, middle: Archive) -> Iterator[LostGuard]:
    installed = {one.package.name: one.package for one in direct.before.values()}
    for version in direct.after.values():
        before = direct.before.get(version.slot)
        if before is not None and before.package is version:
            continue
        kept = {atom.name for atom in (*version.against, *version.replaces)}
        for between in middle.candidates(version.name):
            if between.slot != version.slot:
                continue
            for atom in dict.fromkeys(between.replaces):
                other = installed.get(atom.name)
                if other is not None and atom.name not in kept and _guards(atom, other, version):
                    yield LostGuard(between, other, atom.words)


def _guards(atom: Atom, other: PackageVersion, version: PackageVersion) -> bool:
    """Whether an installed package is one of those that the atom is about."""
    if other.slot == version.slot:
        return False
    return not atom.operator or holds(other.key, atom.operator, atom.key)
