"""How long can this machine go back to the system that its last upgrade kept?"""

from collections.abc import Iterator

from brave_bridge.core.formats.text import byte_size, counted
from brave_bridge.core.survey.findings import (
    Finding,
    Situation,
    caution,
    clear,
    not_applicable,
    rule,
)

SOON_DAYS = 3


@rule(
    "kept-system",
    "way back",
    asks="How long can this machine go back to the system that its last upgrade kept?",
    means="The system deletes it when its time is over; then only a way back of ours is left.",
)
def kept_system(situation: Situation) -> Iterator[Finding]:
    system = situation.facts.licensed
    kept = system.kept if system else None
    if kept is None:
        yield not_applicable("No system of before is kept by the system itself", "")
        return
    words = f"{kept.version}, build {kept.build}, of {kept.made}: {byte_size(kept.size)}"
    if kept.gone:
        yield caution(
            f"The kept system {kept.version} is gone",
            kept.gone,
            "Go back by a way back (brave-bridge ways-back), if one was made before the upgrade.",
        )
        return
    past = situation.days_since(kept.until)
    left = -past if past is not None else 0
    if left <= SOON_DAYS:
        yield caution(
            f"{counted(max(left, 0), 'day')} left to go back to {kept.version}",
            f"{words}; until {kept.until}",
            f"Decide, or keep it longer (until {kept.longest}): brave-bridge kept-system --until.",
        )
    else:
        yield clear(f"{counted(left, 'day')} left to go back to {kept.version}", words)
