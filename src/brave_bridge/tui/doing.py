"""Doing something at a machine's desk: in a thread, told how it went, the machine read again."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING, Any, Protocol

from brave_bridge.core.formats.text import plain

if TYPE_CHECKING:
    from brave_bridge.tui.harbour import Harbour
    from brave_bridge.workbench.desk import Desk

Deed = Callable[["Desk"], Any]


class Screen(Protocol):
    """What a deed needs of the screen that it is done from."""

    harbour: Harbour

    def run_worker(self, work: Any, **options: Any) -> Any:
        """See textual's MessagePump."""

    def call_from_thread(self, call: Callable[..., Any], *words: Any) -> Any:
        """See textual's App."""

    def notify(self, message: str, **options: Any) -> None:
        """See textual's App."""

    def tell_busy(self, words: str) -> None:
        """Say what is under way."""

    def read_machines(self, names: list[str]) -> Any:
        """Read machines anew."""


class Doing:
    """The one way by which the screen changes anything. Which machine is meant is always said."""

    def __init__(self, app: Screen) -> None:
        self.app = app

    def do(
        self, machine: str, words: str, deed: Deed, then: Callable[[Any], None] | None = None
    ) -> None:
        """Do a deed at a machine's desk; ``then`` is handed its result, on the screen's side."""
        work = partial(self._in_thread, machine, words, deed, then)
        self.app.run_worker(work, thread=True, group="deeds", name=words)

    def _in_thread(
        self, machine: str, words: str, deed: Deed, then: Callable[[Any], None] | None
    ) -> None:
        from brave_bridge.machines.port import MachineError
        from brave_bridge.store.faults import DatabaseError
        from brave_bridge.workbench.refusal import Refused

        tell = self.app.call_from_thread
        tell(self.app.tell_busy, f"{machine}: {words} …")
        try:
            result = self.app.harbour.do(machine, deed)
        except Refused as refusal:
            tell(self.refused, refusal.what, refusal.why, refusal.remedy)
        except MachineError as error:
            tell(self.refused, error.attempted, error.seen, error.remedy)
        except (DatabaseError, OSError) as error:
            tell(self.refused, words, str(error), "")
        else:
            if then:
                tell(then, result)
        finally:
            tell(self.app.tell_busy, "")
            tell(self.app.read_machines, [machine])

    def busy_with(self, machine: str) -> Callable[[str], None]:
        """What a deed tells of itself while it is done. For its thread."""

        def tell(words: str) -> None:
            self.app.call_from_thread(self.app.tell_busy, f"{machine}: {words} …")

        return tell

    def refused(self, what: str, why: str, remedy: str) -> None:
        """Say why something was not done, and what to do about it."""
        message = plain(f"{why}" + (f"\n▸ {remedy}" if remedy else ""), 600)
        self.app.notify(
            message.replace("[", "\\["), title=f"■ {what}", severity="error", timeout=20
        )
