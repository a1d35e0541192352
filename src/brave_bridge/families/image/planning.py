"""Plans image legs: which bundle, into which slot, and what becomes of each component."""

from collections.abc import Iterator

from brave_bridge.core.crossing.planner import PlanFault
from brave_bridge.core.crossing.replies import BundleRead
from brave_bridge.core.crossing.requests import ReadBundle, Script
from brave_bridge.core.images.changes import SAME, component_changes, too_old, undriven
from brave_bridge.core.images.manifest import Manifest, ManifestFault
from brave_bridge.core.images.system import ImageSystem, taken_to
from brave_bridge.core.packages.preferences import Preferences
from brave_bridge.core.plan.exchange_steps import ComponentsStep, ImageStep
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.plan.steps import RestartStep
from brave_bridge.core.releases.catalogue import Leg
from brave_bridge.core.survey.facts import Facts

_PROFILE = "profile"


class ImagePlanner:
    """See Planner. Bundles are those on the machine's own storage."""

    def plan(
        self, facts: Facts, legs: tuple[Leg, ...], folder: str, preferences: Preferences
    ) -> Script[tuple[LegPlan, ...] | PlanFault]:
        """See Planner."""
        system = facts.image
        if system is None or system.other is None:
            return PlanFault("planning", "the system has no other slot to write an image into")
        bundles = yield from _bundles(facts, system)
        plans: list[LegPlan] = []
        for leg in legs:
            planned = _planned(facts, system, leg, bundles)
            if isinstance(planned, PlanFault):
                return planned
            plans.append(planned)
            system = _behind(system, planned, bundles)
        return tuple(plans)

    def again(
        self, facts: Facts, plans: tuple[LegPlan, ...], folder: str, preferences: Preferences
    ) -> Script[tuple[LegPlan, ...] | PlanFault]:
        """See Planner: nothing of an image leg is a matter of taste."""
        return (yield from self.plan(facts, tuple(p.leg for p in plans), folder, preferences))


def _bundles(facts: Facts, system: ImageSystem) -> Script[dict[str, Manifest | str]]:
    """What each bundle announces; why it is not believed, in words, where it is not."""
    found: dict[str, Manifest | str] = {}
    for path in system.bundles:
        reply = yield from ReadBundle(
            title=f"Read {path}",
            path=path,
            line=facts.identity.os_id,
            serial=system.slots.serial,
        )
        if isinstance(reply, BundleRead):
            found[path] = reply.manifest
        else:
            found[path] = getattr(reply, "seen", "no reply")
    return found


def _planned(
    facts: Facts, system: ImageSystem, leg: Leg, bundles: dict[str, Manifest | str]
) -> LegPlan | PlanFault:
    attempted = f"planning {leg.title}"
    is_profile = leg.scale == _PROFILE
    version = system.image.version if is_profile else leg.end.version
    profile = leg.end.version if is_profile else system.image.profile
    fitting = {
        path: one
        for path, one in bundles.items()
        if isinstance(one, Manifest) and one.version == version
    }
    if not fitting:
        told = "; ".join(f"{p}: {o}" for p, o in bundles.items() if not isinstance(o, Manifest))
        seen = f"no bundle of {version} is on its storage"
        remedy = "put one there, as a file NAME.bundle below /srv or on a medium below /media"
        return PlanFault(attempted, f"{seen} ({told})" if told else seen, remedy)
    path, manifest = max(fitting.items(), key=lambda item: item[1].serial)
    try:
        components = manifest.of(profile)
    except ManifestFault as fault:
        return PlanFault(attempted, f"{path}: {fault}")
    if old := "; ".join(too_old(manifest, system.image.components)):
        return PlanFault(attempted, f"{path}: {old}", "take the release between first")
    lost = tuple(undriven(manifest, profile, facts.hardware.devices))
    if lost:
        names = "; ".join(f"{one.device} ({one.driver})" for one in lost)
        others = sorted({name for one in lost for name in one.profiles})
        remedy = f"take profile {' or '.join(others)}" if others else "ask its makers for a driver"
        return PlanFault(attempted, f"profile {profile} has no driver for {names}", remedy)
    changed = tuple(
        change
        for change in component_changes(system.image.components, components)
        if change.kind != SAME
    )
    slot = system.other.name if system.other else ""
    steps = (
        ImageStep(
            old=system.image.profile if is_profile else system.image.version,
            new=leg.end.version,
            slot=slot,
            why=f"build {manifest.build}",
            warnings=tuple(_warnings(manifest)),
            bundle=path,
            build=manifest.build,
            profile=profile,
            new_version=version,
            image_bytes=manifest.size_of(profile),
            cures={one.id: f"{one.title}: {one.cure}" for one in manifest.issues if one.cure},
            issues=tuple(one.id for one in manifest.issues),
            cured_by_tool=tuple(one.id for one in manifest.issues if one.by_tool),
        ),
        ComponentsStep(changed=changed),
        RestartStep(
            because=(f"slot {slot} is started, on trial",), comes_up=f"{version}, {manifest.build}"
        ),
    )
    return LegPlan(leg=leg, steps=steps, made_at=facts.taken_at)


def _behind(system: ImageSystem, plan: LegPlan, bundles: dict[str, Manifest | str]) -> ImageSystem:
    """The system as a planned leg leaves it."""
    step = plan.step(ImageStep)
    manifest = bundles.get(step.bundle) if step else None
    if step is None or not isinstance(manifest, Manifest):
        return system
    return taken_to(system, manifest, step.profile)


def _warnings(manifest: Manifest) -> Iterator[str]:
    """What its makers know to be wrong with it."""
    for issue in manifest.issues:
        by_whom = " (applied behind the restart, by its own tool)" if issue.by_tool else ""
        yield f"{issue.title}. {issue.cure}{by_whom}".strip()
