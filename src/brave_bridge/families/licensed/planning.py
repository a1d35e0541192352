"""Plans the legs of licensed systems: what an edition means, and what a medium brings and loses."""

from collections.abc import Iterator

from brave_bridge.core.crossing.planner import PlanFault
from brave_bridge.core.crossing.replies import MediumRead
from brave_bridge.core.crossing.requests import ReadMedium, Script
from brave_bridge.core.licensed.medium import Medium, losses, misfits
from brave_bridge.core.licensed.system import Edition, LicensedSystem
from brave_bridge.core.packages.choices import KEPT, Option, PlanChoice
from brave_bridge.core.packages.preferences import Preferences
from brave_bridge.core.plan.exchange_steps import KEEP_ALL, KEPT_WORDS, EditionStep, MediumStep
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.plan.steps import RestartStep
from brave_bridge.core.releases.catalogue import Leg
from brave_bridge.core.releases.standing import EDITION
from brave_bridge.core.survey.facts import Facts


class LicensedPlanner:
    """See Planner. Media are those that the machine can read."""

    def plan(
        self, facts: Facts, legs: tuple[Leg, ...], folder: str, preferences: Preferences
    ) -> Script[tuple[LegPlan, ...] | PlanFault]:
        """See Planner."""
        system = facts.licensed
        if system is None:
            return PlanFault("planning", "the system tells nothing of its licence")
        media: dict[str, Medium | str] = {}
        if any(leg.scale != EDITION for leg in legs):
            media = yield from _media(system)
        plans: list[LegPlan] = []
        for leg in legs:
            if leg.scale == EDITION:
                planned = _edition(facts, system, leg)
            else:
                planned = _release(facts, system, leg, media, preferences)
            if isinstance(planned, PlanFault):
                return planned
            plans.append(planned)
        return tuple(plans)

    def again(
        self, facts: Facts, plans: tuple[LegPlan, ...], folder: str, preferences: Preferences
    ) -> Script[tuple[LegPlan, ...] | PlanFault]:
        """See Planner: a preference may say what is kept."""
        return (yield from self.plan(facts, tuple(p.leg for p in plans), folder, preferences))


def _edition(facts: Facts, system: LicensedSystem, leg: Leg) -> LegPlan | PlanFault:
    edition = system.edition(leg.end.key.rpartition(":")[2])
    if edition is None:
        known = ", ".join(one.title for one in system.system.editions)
        why = f"the system cannot become {leg.end.version}; it knows {known or 'no other edition'}"
        return PlanFault(f"planning {leg.title}", why)
    step = EditionStep(
        old=leg.start.version,
        new=edition.title,
        why="by its key, which is asked for when the crossing begins",
        warnings=tuple(_edition_warnings(edition, facts)),
        name=edition.name,
        mark=edition.mark,
        adds=edition.adds,
        forbids=edition.forbids,
    )
    restart = RestartStep(
        because=(f"edition {edition.title} takes effect at a start",), comes_up=edition.title
    )
    return LegPlan(leg=leg, steps=(step, restart), made_at=facts.taken_at)


def _edition_warnings(edition: Edition, facts: Facts) -> Iterator[str]:
    if not edition.way_back:
        yield (
            f"{facts.identity.name} itself never leaves {edition.title} again: the way back "
            "is the snapshot that is taken before it"
        )
    yield from (f"edition {edition.title} forbids: {words}" for words in edition.forbids)


def _media(system: LicensedSystem) -> Script[dict[str, Medium | str]]:
    """What each medium says of itself; why it is not believed, in words, where it is not."""
    found: dict[str, Medium | str] = {}
    for path in system.media:
        reply = yield from ReadMedium(title=f"Read {path}", path=path)
        seen = getattr(reply, "seen", "no reply")
        found[path] = reply.medium if isinstance(reply, MediumRead) else seen
    return found


def _release(
    facts: Facts,
    system: LicensedSystem,
    leg: Leg,
    media: dict[str, Medium | str],
    preferences: Preferences,
) -> LegPlan | PlanFault:
    attempted = f"planning {leg.title}"
    line = facts.identity.os_id
    why: list[str] = []
    remedy = f"have a medium of {leg.end.version} where it can be read: /media/NAME/medium.json"
    for path, medium in media.items():
        if not isinstance(medium, Medium):
            why.append(f"{path}: {medium}")
        elif medium.version != leg.end.version:
            why.append(f"{path} has {medium.version}")
        elif wrong := tuple(misfits(medium, system, line, facts.hardware)):
            why += [f"{path}: {one.why}" for one in wrong]
            remedy = "; ".join(dict.fromkeys(one.remedy for one in wrong))
        else:
            return _from_medium(facts, system, leg, path, medium, preferences)
    seen = "; ".join(why) or f"there is no medium of {leg.end.version}"
    return PlanFault(attempted, seen, remedy)


def _from_medium(
    facts: Facts,
    system: LicensedSystem,
    leg: Leg,
    path: str,
    medium: Medium,
    preferences: Preferences,
) -> LegPlan:
    step = MediumStep(
        old=leg.start.version,
        new=leg.end.version,
        why=f"build {medium.build}, in {', '.join(medium.languages)}",
        size_bytes=0,
        grows_bytes=medium.grows,
        warnings=tuple(_medium_warnings(medium, facts)),
        medium=path,
        build=medium.build,
        keep=preferences.keep,
        lost=losses(preferences.keep, system),
        phases=medium.phases,
        medium_bytes=medium.size,
    )
    restart = RestartStep(
        because=(f"{medium.phases} phases, each over a restart of its own",),
        comes_up=f"{medium.version}, {medium.build}",
    )
    return LegPlan(
        leg=leg,
        steps=(step, restart),
        made_at=facts.taken_at,
        choices=(_what_is_kept(preferences.keep, system),),
        preferences=preferences,
    )


def _what_is_kept(keep: str, system: LicensedSystem) -> PlanChoice:
    """The question what is kept, with what each answer would lose."""
    return PlanChoice(
        kind=KEPT,
        subject="upgrade",
        about="What the upgrade keeps of this machine.",
        options=tuple(_option(answer, system) for answer in KEPT_WORDS),
        answer=keep,
        default=KEEP_ALL,
    )


def _option(answer: str, system: LicensedSystem) -> Option:
    lost = losses(answer, system)
    words = f"{KEPT_WORDS[answer]}; lost: {'; '.join(lost)}" if lost else KEPT_WORDS[answer]
    return Option(answer, words)


def _medium_warnings(medium: Medium, facts: Facts) -> Iterator[str]:
    from fnmatch import fnmatchcase

    for device in facts.hardware.devices:
        served = any(fnmatchcase(device.modalias, pattern) for pattern in medium.drivers)
        if device.driver and medium.drivers and not served:
            yield f"{device.path} is driven by {device.driver}: the medium has no driver for it"
    if any(mount.device.startswith("/dev/mapper/") for mount in facts.mounts):
        yield "the disk is encrypted: have its recovery key at hand, it is asked for at a restart"
