"""Proof: a machine after a crossing held against its baseline."""

from collections.abc import Container, Iterable
from fnmatch import fnmatchcase

import msgspec

from brave_bridge.core.formats.apt_sources import SourceFile, entries
from brave_bridge.core.formats.paused_sources import paused_in, taken_up
from brave_bridge.core.formats.text import shortened
from brave_bridge.core.packages.changes import versions_by_name
from brave_bridge.core.packages.choices import COMES, FAMILY, PlanChoice
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.plan.steps import RestartStep
from brave_bridge.core.proof.alerts import compare_alerts
from brave_bridge.core.proof.cures import compare_cures, cures_by_hand
from brave_bridge.core.proof.difference import NOT_READ, REGRESSION, SAME, Difference
from brave_bridge.core.proof.topics import compare_topics, folded
from brave_bridge.core.releases.catalogue import Leg
from brave_bridge.core.releases.standing import EDITION, PROFILE, RELEASE
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.products import standing_for
from brave_bridge.core.survey.restart_need import newest_kernel, restart_reasons


class TaskToDo(msgspec.Struct, frozen=True):
    """What a person has to do after a leg. ``key`` names it in what was decided."""

    key: str
    text: str


class Proof(msgspec.Struct, frozen=True):
    """All compared points, regressions first.

    Passed where there is no regression, and all was read that was read before.
    """

    passed: bool
    differences: tuple[Difference, ...]
    same: tuple[Difference, ...]
    tasks: tuple[TaskToDo, ...] = ()
    """What the legs leave to a person, done or not."""

    @property
    def worse(self) -> tuple[Difference, ...]:
        """What is worse than before."""
        return tuple(one for one in self.differences if one.verdict == REGRESSION)

    @property
    def not_read(self) -> tuple[Difference, ...]:
        """What was read before, and now gave no answer."""
        return tuple(one for one in self.differences if one.verdict == NOT_READ)

    @property
    def words(self) -> str:
        """The proof in a sentence."""
        if self.passed:
            return "as good as before"
        if self.worse:
            return "something is worse than before"
        return "nothing worse was seen, and not all of it could be read"

    def without_done(self, done: Container[str]) -> "Proof":
        """The proof with those tasks alone that nobody has done."""
        left = tuple(task for task in self.tasks if task.key not in done)
        return msgspec.structs.replace(self, tasks=left)


def prove(baseline: Facts, after: Facts, plans: tuple[LegPlan, ...]) -> Proof:
    """Compare the facts after the legs of ``plans`` with those before."""
    last = {plan.leg.scale: plan.leg for plan in plans}
    points = [
        *(_standing(baseline, after, leg) for leg in last.values()),
        *_other_standings(baseline, after, set(last)),
        _package_count(baseline, after),
        *_tools(baseline, after, plans),
        *_missing_packages(baseline, after, plans),
        *_agreed(baseline, after, plans),
        *_configs(baseline, after, plans),
        _broken(baseline, after),
        *_came_up(baseline, after, plans),
        *compare_cures(after, plans),
        *compare_alerts(baseline, after, plans),
        *_sources(after, plans),
        *compare_topics(baseline, after, plans),
    ]
    return proof_of(folded(points), tuple(_tasks(baseline, plans)))


def proof_of(points: Iterable[Difference], tasks: tuple[TaskToDo, ...] = ()) -> Proof:
    """The proof that compared points make, what is worse first."""
    ordered = sorted(points, key=lambda point: point.rank)
    return Proof(
        passed=not any(point.verdict in (REGRESSION, NOT_READ) for point in ordered),
        differences=tuple(point for point in ordered if point.verdict != SAME),
        same=tuple(point for point in ordered if point.verdict == SAME),
        tasks=tasks,
    )


def _tasks(baseline: Facts, plans: tuple[LegPlan, ...]) -> Iterable[TaskToDo]:
    names = {package.name for package in baseline.installed}
    for leg in (plan.leg for plan in plans):
        for task in leg.tasks:
            if task.when == "after" and task.concerns(names):
                yield TaskToDo(task.key_in(leg.key), task.text)
    yield from _still_preferred(baseline, plans)
    yield from _still_named(baseline, plans)
    for plan in plans:
        for choice in plan.choices:
            if choice.kind == FAMILY and choice.answer == COMES:
                yield TaskToDo(f"family:{choice.subject}", _to_carry_over(choice))
    for name, text in cures_by_hand(plans):
        yield TaskToDo(f"cure:{name}", text)


def _still_preferred(baseline: Facts, plans: tuple[LegPlan, ...]) -> Iterable[TaskToDo]:
    """A release of before that the package manager is told to prefer: it refuses to work then."""
    preferred = baseline.preferred_release
    starts = [plan.leg.start for plan in plans]
    left = {name for start in starts for name in (start.codename, start.suite, start.version)}
    if preferred is not None and preferred.name in left:
        end = plans[-1].leg.end
        text = (
            f"Have {preferred.setting} name {end.codename or end.title} in {preferred.where}, or "
            f"take it out: it still prefers {preferred.name}, and until then nothing of "
            f"{end.title} can be installed by hand"
        )
        yield TaskToDo("preferred-release", text)


def _still_named(baseline: Facts, plans: tuple[LegPlan, ...]) -> Iterable[TaskToDo]:
    """A release of before that is named to what works by itself: it finds nothing then."""
    if baseline.settings_naming and plans:
        end = plans[-1].leg.end
        where = ", ".join(shortened([one.where for one in baseline.settings_naming], 5))
        text = f"Have {where} name {end.codename or end.title}: unattended upgrades go by that"
        yield TaskToDo("named-release", text)


def _to_carry_over(choice: PlanChoice) -> str:
    """What the next of a family does not know of the one before."""
    coming = choice.other.replace(" ", ", ")
    return (
        f"See that {coming} do what {choice.subject} did: its modules, settings and what used it "
        "(a web server's modules and sites) are enabled for each version apart"
    )


def prove_return(way_back: str, differing: int, examples: Iterable[str], since: int = 0) -> Proof:
    """A return as a proof: the machine against the snapshot, path by path.

    ``since`` is how many paths the system that runs has written since it was put back.
    """
    written = Difference(
        "paths written since", way_back, str(since), "expected", "by what runs, after the return"
    )
    later = (written,) if since else ()
    if not differing:
        same = Difference(
            "every other covered path" if since else "every covered path", way_back, "equal", "same"
        )
        return Proof(passed=True, differences=later, same=(same,))
    rows = tuple(
        Difference(example, "as in the snapshot", "otherwise", "regression") for example in examples
    )
    return Proof(passed=False, differences=(*rows, *later), same=())


def _standing(baseline: Facts, after: Facts, leg: Leg) -> Difference:
    """Whether the machine came to where the last leg of a scale was to bring it."""
    before, now = standing_for(leg, baseline), standing_for(leg, after)
    reached = leg.ends_at(now)
    meaning = "" if reached else f"the crossing was to reach {leg.end.title}"
    verdict = "expected" if reached else "regression"
    return Difference(leg.scale, before.words, now.words, verdict, meaning)


def _other_standings(baseline: Facts, after: Facts, moved: set[str]) -> Iterable[Difference]:
    """What no leg was to move, and moved."""
    for scale in (RELEASE, EDITION, PROFILE):
        before, now = baseline.standing(scale), after.standing(scale)
        if scale not in moved and before.value and before != now:
            why = "no leg was to change that"
            yield Difference(scale, before.words, now.words, "regression", why)


def _package_count(baseline: Facts, after: Facts) -> Difference:
    before, now = len(baseline.installed), len(after.installed)
    verdict = "same" if before == now else "expected"
    return Difference(f"{after.part}s", str(before), str(now), verdict)


def _tools(baseline: Facts, after: Facts, plans: tuple[LegPlan, ...]) -> Iterable[Difference]:
    approved = _approved_removals(plans)
    for name, before in baseline.tools.items():
        now = after.tools.get(name, "")
        if now:
            yield Difference(name, before, now, "same" if now == before else "expected")
        else:
            verdict = "expected" if name in approved else "regression"
            yield Difference(name, before, "gone", verdict, "the tool is no longer installed")


def _approved_removals(plans: tuple[LegPlan, ...]) -> set[str]:
    return {change.name for plan in plans for change in plan.packages.removed}


def _missing_packages(
    baseline: Facts, after: Facts, plans: tuple[LegPlan, ...]
) -> Iterable[Difference]:
    present = {package.name for package in after.installed}
    versions = {package.name: package.version for package in baseline.installed}
    approved = _approved_removals(plans)
    for name, version in versions.items():
        if name in present or name in baseline.tools:
            continue
        if name in approved:
            yield Difference(name, version, "gone", "expected", "removed as the plan said")
        else:
            yield Difference(name, version, "gone", "regression", "no plan said so")


def _agreed(baseline: Facts, after: Facts, plans: tuple[LegPlan, ...]) -> Iterable[Difference]:
    """The machine held against what the legs were to bring, each package that they name."""
    before, now = versions_by_name(baseline.installed), versions_by_name(after.installed)
    wanted: dict[str, str] = {}
    for plan in plans:
        wanted |= {change.name: change.new for change in plan.packages.arriving}
        wanted |= {change.name: "" for change in plan.packages.removed}
    reached = 0
    for name, version in wanted.items():
        here, then = now.get(name, ""), before.get(name, "")
        if here == version or (version and here not in ("", then)):
            reached += 1
        elif not version:
            yield Difference(name, then, here, "regression", "the plan was to remove it")
        elif here:
            cause = _why_it_stayed(name, after, plans)
            yield Difference(name, then, here, "regression", f"{version} was planned; {cause}")
        elif name not in before:
            yield Difference(name, "", "", "regression", f"{version} was planned; it is not there")
    if wanted and reached == len(wanted):
        yield Difference("packages as planned", str(reached), str(reached), "same")
    for change in plans[-1].packages.kept_back:
        here = now.get(change.name, "")
        if here and here == before.get(change.name):
            yield Difference(change.name, here, here, "expected", f"kept back: {change.reason}")


def _why_it_stayed(name: str, after: Facts, plans: tuple[LegPlan, ...]) -> str:
    """Why a package is still that of the old release."""
    plain_name = name.partition(":")[0]
    package = next((p for p in after.installed if p.name == plain_name), None)
    if package and package.is_held:
        return "it is held"
    starts = [plan.leg.start for plan in plans]
    old = {name for start in starts for name in (start.codename, start.suite, start.version)}
    for pin in after.pins:
        holds_on = pin.is_for_a_version or any(map(pin.names, old))
        if holds_on and any(fnmatchcase(plain_name, p) for p in pin.packages.split()):
            return f"pinned to {pin.selects} in {pin.where}"
    if package and package.is_broken:
        return "its installation did not end well"
    return "it was not done"


def _configs(baseline: Facts, after: Facts, plans: tuple[LegPlan, ...]) -> Iterable[Difference]:
    theirs = {q.path for plan in plans for q in plan.configs.questions if q.answer == "theirs"}
    removed = _approved_removals(plans)
    now = {config.path: config for config in after.changed_configs}
    for config in baseline.changed_configs:
        subject = config.path
        if config.path in theirs:
            yield Difference(subject, "mine", "theirs", "expected", "as decided in the plan")
        elif config.path not in now:
            kept = config.is_gone or config.package in removed
            meaning = "the package no longer owns it, or ships the same" if not kept else ""
            yield Difference(subject, "changed here", "not changed", "expected", meaning)
        elif now[config.path].sha256 == config.sha256:
            yield Difference(subject, "mine", "mine", "same")
        else:
            yield Difference(
                subject, "mine", "another version", "regression", "it was to be kept as it was"
            )


def _broken(baseline: Facts, after: Facts) -> Difference:
    before, now = len(baseline.broken), len(after.broken)
    names = ", ".join(package.name for package in after.broken[:6])
    verdict = "regression" if now else ("same" if before == now else "expected")
    return Difference("broken packages", str(before), str(now), verdict, names)


def _came_up(baseline: Facts, after: Facts, plans: tuple[LegPlan, ...]) -> Iterable[Difference]:
    """Whether what is installed is what runs: till then nothing of it was tried."""
    planned = [step for plan in plans if (step := plan.step(RestartStep))]
    pending = restart_reasons(after)
    if pending:
        why = "; ".join(reason.words for reason in pending)
        yield Difference("restart", "", "pending", "regression", why)
    elif planned and after.runs:
        before = f"kernel {baseline.boot.kernel}" if baseline.boot.kernel else ""
        yield Difference("restart", before, f"up, kernel {after.boot.kernel}", "expected")
    elif planned and after.kernels and not _was_started(after):
        why = "it was not started since: what it comes up as is not known"
        yield Difference("restart", "", "not started", "regression", why)


def _was_started(after: Facts) -> bool:
    """Whether a system that does not run came up with its newest kernel, by its own account."""
    newest = newest_kernel(after)
    return newest is not None and after.last_boot.kernel == newest.version


def _sources(after: Facts, plans: tuple[LegPlan, ...]) -> Iterable[Difference]:
    before = {file.path: file for file in plans[0].sources.before}
    present = {file.path: file for file in after.source_files}
    for planned in plans[-1].sources.files:
        path, now = planned.path, present.get(planned.path)
        if now is not None and now != planned and _taken_up_since(planned, now):
            yield Difference(path, "waited", "active again", "expected")
        elif now != planned:
            yield Difference(path, "as planned", "otherwise", "regression", "sources differ")
        elif before.get(path) == planned:
            yield Difference(path, "unchanged", "unchanged", "same")
        else:
            yield Difference(path, "old release", _became(path, plans[-1]), "expected")


_BECAME = {"renamed": "new release", "paused": "waits", "dropped": "dropped"}


def _became(path: str, plan: LegPlan) -> str:
    """What the sources of a file were planned to become."""
    ends = {source.outcome for source in plan.sources.outcomes if source.path == path}
    return " and ".join(words for outcome, words in _BECAME.items() if outcome in ends)


def _taken_up_since(planned: SourceFile, now: SourceFile) -> bool:
    """Whether a file differs from the plan only in that sources which waited are active again."""
    active = {entry.line: entry.suites for entry in entries(now)}
    for waiting in paused_in(planned):
        line = waiting.entry.line
        if line in active:
            suites = dict(zip(waiting.entry.suites, active[line], strict=False))
            planned = taken_up(planned, line, suites)
    return planned == now
