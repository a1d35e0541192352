"""Asking for licence keys: without echo, or by a descriptor; never by the command line itself."""

import contextlib
import os
import sys
from collections.abc import Callable
from getpass import getpass

from brave_bridge.core.formats.text import plain
from brave_bridge.core.licensed.key import KeyFault, LicenceKey
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.machines.no_traces import leave_no_core
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.media.licence_keys import (
    give,
    judged_by,
    judged_for,
    key_wanted,
    waiting_for,
    withdraw,
)
from brave_bridge.workbench.refusal import Refused

_Judge = Callable[[str], LicenceKey]

_LONGEST = 400
_TRIES = 3
_BY_DESCRIPTOR = "give it by a descriptor (--key-fd 3 3<FILE), or at a terminal"


class KeyEntry:
    """The keys of one command: one that came by a descriptor, else as a person types them."""

    def __init__(self, descriptor: int | None = None, *, must_ask: bool = False) -> None:
        self._descriptor = descriptor
        self._must_ask = must_ask
        self._key: LicenceKey | None = None

    def before(self, desk: Desk, legs: tuple[LegPlan, ...]) -> None:
        """Ask for the key of the first of these legs, where one is wanted, and judge it.

        Refused where nobody gives a good one: nothing has begun then.
        """
        step = key_wanted(legs)
        if step is None:
            return
        facts = desk.facts()
        self._key = self._judged(
            f"edition {step.new}", lambda typed: judged_for(facts, step, typed)
        )

    def tend(self, desk: Desk) -> None:
        """Give the runner the key that it waits for; whoever has none says so with Ctrl+D."""
        wanted = waiting_for(desk)
        if wanted is None:
            return
        if self._key is not None and self._key.mark == wanted.mark:
            # Where the runner was gone in this very moment, the next one is given it.
            with contextlib.suppress(Refused):
                give(desk, self._key)
            return
        if self._descriptor is None and not (self._must_ask or sys.stdin.isatty()):
            return
        what = f"edition {wanted.edition}"
        try:
            key = self._judged(what, lambda typed: judged_by(wanted, typed))
        except Refused:
            withdraw(desk)
            raise
        give(desk, key)

    def _judged(self, what: str, judge: _Judge) -> LicenceKey:
        leave_no_core()
        if self._descriptor is not None:
            descriptor, self._descriptor = self._descriptor, None
            return _good(judge, _read(descriptor))
        if not sys.stdin.isatty():
            raise Refused("taking a key", f"the key of {what} is needed", _BY_DESCRIPTOR)
        for left in reversed(range(_TRIES)):
            try:
                typed = getpass(f"Key of {what} (nothing is shown): ", sys.stderr)
            except EOFError:
                break
            try:
                return _good(judge, typed)
            except Refused as refusal:
                if not left:
                    raise
                print(plain(f"■ {refusal.why}"), file=sys.stderr)
        raise Refused("taking a key", f"no key of {what} was given", "nothing was changed by it")


def _good(judge: _Judge, typed: str) -> LicenceKey:
    try:
        return judge(typed)
    except KeyFault as fault:
        hints = f": {'; '.join(fault.hints)}" if fault.hints else ""
        raise Refused("taking a key", f"{fault}{hints}", "read it again") from None


def _read(descriptor: int) -> str:
    try:
        with os.fdopen(os.dup(descriptor), "rb") as stream:
            return stream.readline(_LONGEST).decode("ascii", "replace")
    except OSError as error:
        seen = f"descriptor {descriptor}: {error.strerror or error}"
        raise Refused("taking a key", seen, _BY_DESCRIPTOR) from error
