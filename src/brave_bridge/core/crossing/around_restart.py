"""What surrounds every restart that is asked for: guests, maintenance, the look, the proof."""

import msgspec

from brave_bridge.core.crossing.prove_patiently import Proved, prove_patiently
from brave_bridge.core.crossing.replies import Reply
from brave_bridge.core.crossing.requests import Script
from brave_bridge.core.crossing.restart import CameUp
from brave_bridge.core.crossing.surroundings import Setting, Surroundings, around, surroundings_at
from brave_bridge.core.proof.alike import hold_on_kernel
from brave_bridge.core.proof.checks import OwnCheck
from brave_bridge.core.survey.facts import Facts


class AroundRestart(msgspec.Struct, frozen=True):
    """How a machine is restarted: its maintenance state, and a person's checks before and after."""

    maintenance: tuple[Setting, ...] = ()
    checks: tuple[OwnCheck, ...] = ()

    def at(self, now: Facts) -> Surroundings:
        """What is entered before a restart and left behind it: the guests are those at work."""
        return surroundings_at(self.maintenance, now)


def surrounded(how: AroundRestart, now: Facts, restart: Script[CameUp]) -> Script[CameUp]:
    """Carry out a restart within its surroundings; they are left again whatever it comes to."""
    came, warnings = yield from around(how.at(now), restart)
    if not isinstance(came, CameUp):
        return CameUp(failure=f"no restart: {came.why}", not_begun=True, warnings=warnings)
    return msgspec.structs.replace(came, warnings=came.warnings + warnings)


def proven_on(how: AroundRestart, before: Facts, kernel: str) -> Script[Proved | Reply]:
    """Hold what came up against what there was before; that ``kernel`` runs is what was wanted."""
    return (
        yield from prove_patiently(
            before, lambda after: hold_on_kernel(before, after, kernel), how.checks
        )
    )
