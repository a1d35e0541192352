"""From a brief in the logbook to the script that it stands for."""

import msgspec

from brave_bridge.core.crossing.around_restart import AroundRestart
from brave_bridge.core.crossing.bring_up_to_date import bring_up_to_date
from brave_bridge.core.crossing.cross import cross_route
from brave_bridge.core.crossing.kernels.boot_once import boot_once
from brave_bridge.core.crossing.kernels.build_kernel import BuildOrder, build_kernel
from brave_bridge.core.crossing.kernels.change_kernels import (
    KernelChange,
    change_and_try,
    change_kernels,
)
from brave_bridge.core.crossing.kernels.hold_series import hold_series, let_series_go
from brave_bridge.core.crossing.made_as_one.kept_system import go_back_to_kept, keep_longer
from brave_bridge.core.crossing.open_leg import OpenLeg
from brave_bridge.core.crossing.remedy import apply_remedy
from brave_bridge.core.crossing.replies import FileText
from brave_bridge.core.crossing.requests import Script, TakeSnapshot
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.crossing.surroundings import Surroundings
from brave_bridge.core.crossing.take_up_sources import WaitingSource, take_up_sources
from brave_bridge.core.crossing.ways_back.go_back import GoingBack
from brave_bridge.core.crossing.ways_back.keep_way_back import check_way_back, take_way_back
from brave_bridge.core.crossing.ways_back.past_system import keep_past, offer_past, withdraw_past
from brave_bridge.core.formats.decoding import decode_json
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.proof.checks import OwnCheck
from brave_bridge.core.survey.facts import Facts
from brave_bridge.families.registry import able, commands_of, family_named
from brave_bridge.machines.port import STATE_FOLDER

SOURCES_FOLDER = f"{STATE_FOLDER}/sources"
SCRIPT_VERSION = "17"
"""Changes whenever a script's requests change: a runner resumes only scripts of its version."""


class CrossBrief(msgspec.Struct, frozen=True, tag="cross"):
    """Cross the legs of these approved plans, within what is changed around them.

    ``estimate`` are the seconds that it was thought to take, to be held against those it took.
    ``begun`` is the leg of them that was begun before, to be gone on with.
    """

    family: str
    plans: tuple[LegPlan, ...]
    estimate: float = 0.0
    surroundings: Surroundings = Surroundings()
    begun: OpenLeg | None = None
    checks: tuple[OwnCheck, ...] = ()
    """A person's own checks, asked before and after."""


class ReturnBrief(msgspec.Struct, frozen=True, tag="return"):
    """Return to a way back, and why; leave what a crossing that was given up had entered."""

    family: str
    way_back: str
    reason: str
    surroundings: Surroundings = Surroundings()
    skip_damaged: bool = False
    around: AroundRestart = AroundRestart()
    baseline: Facts | None = None
    """What was read of the machine right before the way back was taken."""


class UpdateBrief(msgspec.Struct, frozen=True, tag="update"):
    """Bring the present release up to date."""

    family: str
    around: AroundRestart = AroundRestart()


class RemedyBrief(msgspec.Struct, frozen=True, tag="remedy"):
    """Carry out a finding's commands, by the rules of the machine's package manager."""

    title: str
    commands: tuple[tuple[str, ...], ...]
    family: str = ""
    around: AroundRestart = AroundRestart()


class SourcesBrief(msgspec.Struct, frozen=True, tag="sources"):
    """Take up sources that wait, where they have the release by now."""

    family: str
    waiting: tuple[WaitingSource, ...]


class SnapshotBrief(msgspec.Struct, frozen=True, tag="snapshot"):
    """Take a way back. ``days``, ``ends_because`` and ``engine``: see TakeSnapshot."""

    reason: str
    engine: str = ""
    days: int = 0
    ends_because: str = ""


class CheckBrief(msgspec.Struct, frozen=True, tag="check"):
    """Read a way back again."""

    way_back: str


class BootOnceBrief(msgspec.Struct, frozen=True, tag="boot once"):
    """Try a kernel at the next boot, and keep it once the machine is proven on it."""

    kernel: str
    around: AroundRestart = AroundRestart()


class KernelsBrief(msgspec.Struct, frozen=True, tag="kernels"):
    """Add kernels, or take them away; ``try_it``: what came is tried at the next boot."""

    family: str
    change: KernelChange
    try_it: bool = False
    around: AroundRestart = AroundRestart()


class BuildBrief(msgspec.Struct, frozen=True, tag="build"):
    """Build a kernel from a source tree on the machine."""

    order: BuildOrder


class HoldBrief(msgspec.Struct, frozen=True, tag="hold"):
    """Hold the machine at a series of kernels by a file; no ``series``: let it go on.

    ``before`` is the text that the file has without the hold; empty where there is no file.
    """

    family: str
    file: FileText
    series: str = ""
    before: str = ""


class PastBrief(msgspec.Struct, frozen=True, tag="past"):
    """Have the boot menu offer a way back as a system to start; ``once``: and start it."""

    way_back: str
    once: bool = False


class WithdrawBrief(msgspec.Struct, frozen=True, tag="withdraw"):
    """Take past systems out of the boot menu."""

    ways_back: tuple[str, ...]


class KeepPastBrief(msgspec.Struct, frozen=True, tag="keep past"):
    """Keep the past system that the machine was started in."""

    way_back: str


class KeptBrief(msgspec.Struct, frozen=True, tag="kept system"):
    """Go back to the system that an upgrade kept, and why; or keep it ``until`` a day.

    That is so many ``days`` after the upgrade.
    """

    reason: str = ""
    until: str = ""
    days: int = 0
    around: AroundRestart = AroundRestart()
    baseline: Facts | None = None
    """What was read of the kept system before it was left."""


class DecisionBrief(msgspec.Struct, frozen=True, tag="decision"):
    """Something that was decided and done at once; it stands in the logbook, nothing is run."""

    words: str


Brief = (
    CrossBrief
    | ReturnBrief
    | UpdateBrief
    | RemedyBrief
    | SourcesBrief
    | SnapshotBrief
    | CheckBrief
    | BootOnceBrief
    | KernelsBrief
    | HoldBrief
    | BuildBrief
    | PastBrief
    | WithdrawBrief
    | KeepPastBrief
    | KeptBrief
    | DecisionBrief
)


def encode_brief(brief: Brief) -> bytes:
    """A brief as the logbook keeps it."""
    return msgspec.json.encode(brief)


def decode_brief(content: bytes) -> Brief:
    """A brief from the logbook; msgspec.DecodeError where it is none that is known here."""
    return decode_json(content, Brief)


def known_brief(content: bytes) -> Brief | None:
    """A brief from the logbook; None where it is damaged, or of another version's kinds."""
    try:
        return decode_brief(content)
    except msgspec.DecodeError:
        return None


def is_decision(brief: bytes) -> bool:
    """Whether a brief of the logbook is that of a decision."""
    return isinstance(known_brief(brief), DecisionBrief)


def surroundings_of(brief: Brief) -> Surroundings:
    """What a procedure enters, or has to leave."""
    return getattr(brief, "surroundings", Surroundings())


def script_of(brief: Brief) -> Script[Outcome]:
    """A fresh script."""
    match brief:
        case DecisionBrief():
            raise ValueError(f"nothing is run for a decision: {brief.words}")
        case RemedyBrief():
            commands = family_named(brief.family).commands
            return apply_remedy(brief.title, brief.commands, commands, brief.around)
        case SourcesBrief():
            return take_up_sources(commands_of(brief.family), brief.waiting, SOURCES_FOLDER)
        case SnapshotBrief():
            return take_way_back(lambda: _take(brief))
        case BootOnceBrief():
            return boot_once(brief.kernel, brief.around)
        case KernelsBrief(try_it=True):
            return change_and_try(commands_of(brief.family), brief.change, brief.around)
        case KernelsBrief():
            return change_kernels(commands_of(brief.family), brief.change)
        case BuildBrief():
            return build_kernel(brief.order)
        case HoldBrief(series=""):
            return let_series_go(brief.file)
        case HoldBrief():
            commands = family_named(brief.family).commands
            return hold_series(commands, brief.series, brief.file, brief.before)
        case PastBrief():
            return offer_past(brief.way_back, once=brief.once)
        case WithdrawBrief():
            return withdraw_past(brief.ways_back)
        case KeepPastBrief():
            return keep_past(brief.way_back)
        case KeptBrief(until=""):
            return go_back_to_kept(brief.reason, brief.around, brief.baseline)
        case KeptBrief():
            return keep_longer(brief.until, brief.days)
        case CheckBrief():
            return check_way_back(brief.way_back)
        case ReturnBrief():
            commands = family_named(brief.family).commands
            check = commands.check if commands else None
            going = GoingBack(brief.way_back, check, brief.surroundings, brief.around)
            return going.carry_out(brief.baseline, skip_damaged=brief.skip_damaged)
        case UpdateBrief():
            return bring_up_to_date(commands_of(brief.family), brief.around)
        case CrossBrief():
            procedure = able(family_named(brief.family).procedure, brief.family, "cross")
            return cross_route(
                procedure, brief.plans, brief.begun, brief.surroundings, brief.checks
            )


def _take(brief: SnapshotBrief) -> TakeSnapshot:
    return TakeSnapshot(
        title="Take a snapshot",
        reason=brief.reason,
        leg="",
        days=brief.days,
        ends_because=brief.ends_because,
        engine=brief.engine,
    )
