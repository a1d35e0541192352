"""The script of a remedy: a finding's commands, one after the other, on the record."""

from brave_bridge.core.crossing.requests import (
    FactsRead,
    ReadFacts,
    Restart,
    Restarted,
    Run,
    Script,
)
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.crossing.stage import ended_well, what_was_seen

RESTART = ("systemctl", "reboot")
QUIET = {"LC_ALL": "C", "DEBIAN_FRONTEND": "noninteractive"}


def apply_remedy(title: str, commands: tuple[tuple[str, ...], ...]) -> Script[Outcome]:
    """Carry out a finding's commands; the first that fails ends it."""
    for argv in commands:
        why = yield from (_restart() if argv == RESTART else _run(title, argv))
        if why:
            return Outcome(
                state="failed",
                at=" ".join(argv),
                why=why,
                safe="nothing beyond this command was done",
                next_step="look at its output in the logbook, then survey again",
            )
    return Outcome(state="done")


def _run(title: str, argv: tuple[str, ...]) -> Script[str]:
    reply = yield Run(title=f"{title}: {' '.join(argv)}", argv=argv, environment=QUIET)
    if ended_well(reply):
        return ""
    output = getattr(reply, "output", "").strip().splitlines()
    return what_was_seen(reply) or "; ".join(output[-3:]) or "it ended with an error"


def _restart() -> Script[str]:
    reply = yield ReadFacts(title="Read which boot this is")
    if not isinstance(reply, FactsRead) or not reply.facts.boot.id:
        return what_was_seen(reply) or "the system does not run"
    reply = yield Restart(
        title="Restart, and wait until the machine is up", boot_id=reply.facts.boot.id
    )
    return "" if isinstance(reply, Restarted) else what_was_seen(reply)
