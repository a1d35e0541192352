"""The series of kernels that a machine follows: what comes, and holding it at one."""

from collections.abc import Iterator

import msgspec

from brave_bridge.core.formats.hidden import hide
from brave_bridge.core.kernels.kernel_package import series_of
from brave_bridge.core.kernels.series_hold import (
    CannotHold,
    SeriesHold,
    names_of,
    series_holds,
    to_hold,
)
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.versions.deb import version_key
from brave_bridge.families.family import KernelHolding
from brave_bridge.families.registry import family_named
from brave_bridge.machines.port import Machine
from brave_bridge.runner.briefs import HoldBrief
from brave_bridge.workbench.beginning import begin
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.lines import line_for
from brave_bridge.workbench.refusal import Refused

_LARGEST = 1_000_000


class KernelComing(msgspec.Struct, frozen=True):
    """A newer kernel that a source has, by the package that would bring it.

    ``on_request``: its source gives only what is asked for. ``held_back``: a hold keeps it away.
    """

    package: str
    version: str
    series: str
    suite: str
    on_request: bool
    held_back: bool

    @property
    def state(self) -> str:
        """How it stands, in a word or two."""
        return "held back" if self.held_back else "on request" if self.on_request else "comes"


def kernels_coming(facts: Facts) -> Iterator[KernelComing]:
    """What sources have newer for the packages that follow kernels, one row for each suite."""
    on_request = {archive.suite for archive in facts.archives if archive.only_on_request}
    held = {name for hold in kernel_holds(facts) for name in hold.packages}
    pending = {update.name: update.new for update in facts.updates}
    for package in facts.kernel_packages:
        if not package.needs:
            continue
        newest: dict[str, str] = {}
        for offer in facts.offers:
            known = newest.get(offer.suite, package.version)
            if offer.name == package.name and version_key(offer.version) > version_key(known):
                newest[offer.suite] = offer.version
        for suite, version in newest.items():
            kept = package.name in held and pending.get(package.name) != version
            asked = suite in on_request
            series = series_of(version)
            yield KernelComing(package.name, version, series, suite, asked, kept and not asked)


def kernel_holds(facts: Facts) -> tuple[SeriesHold, ...]:
    """The series that the machine is held at, by whatever."""
    return series_holds(facts.pins, facts.kernel_packages)


def what_a_hold_means(facts: Facts, series: str) -> list[str]:
    """What a hold takes in and what it costs, in sentences."""
    packages = to_hold(facts.kernel_packages, series)
    line = line_for(facts)
    ends = line.kernel_ends(series) if line else None
    until = f"its own maintainers fix it until {ends}" if ends else "no end of its fixes is known"
    names = ", ".join(names_of(packages)) or "nothing, no package follows it"
    holding = family_named(facts.family).kernel_holding
    lines = [
        f"What stays at {series}: {names}.",
        *((holding.costs(series, until),) if holding else ()),
        "What only a newer series drives or mends does not come.",
    ]
    away = {one.series for one in kernels_coming(facts) if one.series != series}
    return [*lines, f"Kept away as of now: {', '.join(sorted(away))}."] if away else lines


def must_be_held_by(machine: Machine, facts: Facts, series: str) -> HoldBrief:
    """What holds a machine at a series; Refused where nothing would."""
    attempted = f"holding kernels at {series}"
    holding = family_named(facts.family).kernel_holding
    if holding is None:
        name = family_named(facts.family).manager.name or "this package manager"
        remedy = "its own way to lock a version does it"
        raise Refused(attempted, f"no hold is known for {name}", remedy)
    packages = to_hold(facts.kernel_packages, series)
    if not packages:
        here = sorted({series_of(p.kernel) for p in facts.kernel_packages if p.follows_series})
        raise Refused(
            attempted,
            f"no package follows it; followed here: {', '.join(here) or 'none'}",
        )
    mine = next((hold for hold in kernel_holds(facts) if hold.is_ours), None)
    if mine is not None:
        raise Refused(
            attempted, f"{mine.series} is held", "let it go: brave-bridge hold-series --let-go"
        )
    texts = _texts(machine, holding)
    try:
        file = holding.hold(facts, texts, series, packages)
    except CannotHold as error:
        raise Refused(attempted, error.why, error.remedy) from error
    before = texts[file.path] or "\n" if file.path in texts else ""
    return HoldBrief(facts.family, file, series, before)


def _texts(machine: Machine, holding: KernelHolding) -> dict[str, str]:
    """The texts of the files that a hold has to know, of those that there are."""
    texts = {}
    for path in holding.paths:
        content = machine.files.read_if_there(path, _LARGEST)
        try:
            if content is not None:
                # What is begun stands in the logbook: no password of an address may.
                texts[path] = hide(content.decode())
        except UnicodeDecodeError as error:
            why = f"{path} is not UTF-8 throughout: the rest of it would not be kept as it is"
            raise Refused("holding kernels", why, "mend that file") from error
    return texts


def begin_hold(desk: Desk, series: str) -> str:
    """Begin to hold the machine at a series of kernels; the procedure's id."""
    brief = must_be_held_by(desk.machine, desk.facts(), series)
    return begin(desk, "hold", f"kernels held at {series}", brief, False)


def begin_letting_go(desk: Desk) -> str:
    """Begin to take our hold back; the procedure's id."""
    facts = desk.facts()
    hold = next((hold for hold in kernel_holds(facts) if hold.is_ours), None)
    if hold is None:
        others = ", ".join(f"{hold.series} by {hold.where}" for hold in kernel_holds(facts))
        seen = f"that is not our own: {others}" if others else "no series is held"
        raise Refused("letting a series of kernels go", seen)
    holding = family_named(facts.family).kernel_holding
    if holding is None:
        raise Refused("letting a series of kernels go", f"no hold is known for {facts.family}")
    try:
        file = holding.let_go(_texts(desk.machine, holding), hold.where)
    except CannotHold as error:
        attempted = "letting a series of kernels go"
        raise Refused(attempted, error.why, error.remedy) from error
    brief = HoldBrief(facts.family, file)
    return begin(desk, "hold", f"kernels go on from {hold.series}", brief, False)
