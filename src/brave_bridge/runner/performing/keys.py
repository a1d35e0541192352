"""The key that a runner holds: in its memory alone, from the moment that it is of use."""

from brave_bridge.core.crossing.replies import Failed, KeyUsed, Reply
from brave_bridge.core.crossing.requests import WAITS_FOR_KEY, UseKey
from brave_bridge.core.formats.hidden import hide
from brave_bridge.core.formats.text import decoded, plain
from brave_bridge.core.licensed.answers import read_answer
from brave_bridge.core.licensed.key import KeyFault, LicenceKey, marked, read_key
from brave_bridge.machines.no_traces import leave_no_core
from brave_bridge.machines.port import Machine
from brave_bridge.runner.key_desk import TAKEN, take
from brave_bridge.runner.performing.ways_back import Report

WAIT_SECONDS = 1800.0
"""How long a key is waited for, until the procedure goes on without."""

RUN_SECONDS = 120.0


class KeyInHand:
    """See UseKey. A process that holds a key leaves no image of its memory when it dies."""

    def __init__(self, machine: Machine) -> None:
        self._machine = machine
        self._key: LicenceKey | None = None
        self.wait_seconds = WAIT_SECONDS

    def use(self, request: UseKey, report: Report) -> Reply:
        """Hand the key to a command, waiting for it where it is not there."""
        key = self._key
        if key is None or key.mark != request.mark:
            key = self._key = self._given(request, report)
        if key is None:
            return Failed(request.title, f"no key for edition {request.edition} was given")
        typed = f"{key.reveal()}\n".encode()
        code, output = self._machine.jobs.hand(request.argv, typed, RUN_SECONDS)
        said = hide(plain(key.hidden_in(decoded(output))))
        if request.is_last or read_answer(said).is_refusal:
            # Whoever goes on with a key that is of no use is asked for another.
            self._key = None
        return KeyUsed(code, said, key.shown)

    def _given(self, request: UseKey, report: Report) -> LicenceKey | None:
        leave_no_core()

        def judge(given: bytes) -> str:
            try:
                marked(given.decode("ascii", "replace"), request.mark, request.edition)
            except KeyFault as fault:
                return str(fault)
            return TAKEN

        given = take(
            self._machine.state, self.wait_seconds, judge, lambda: report(0.0, WAITS_FOR_KEY, "")
        )
        return read_key(given.decode("ascii")) if given else None
