"""What programs say of their own settings: accepted, or refused with the first fault."""

from collections.abc import Iterator, Mapping

from brave_bridge.core.formats.hidden import hide
from brave_bridge.core.formats.text import one_line

TOPIC = "program settings"
ACCEPTED, REFUSED = "accepted", "refused"

REMOTE_ACCESS = ("sshd",)
"""The programs by which whoever is not at the machine comes in."""

_WORDS_OF_NO_RIGHT = ("permission denied", "operation not permitted", "must be root")
_FAULT_WORDS = ("error", "bad ", "fatal", "unknown", "invalid", "unsupported", "failed", "line ")
_LONGEST = 160


def verdict_of(code: int, output: str) -> str:
    """What a program said of its settings; empty where it was not allowed to read them."""
    if code == 0:
        return ACCEPTED
    if any(words in output.lower() for words in _WORDS_OF_NO_RIGHT):
        return ""
    return f"{REFUSED}: {_fault_in(output) or f'it ended with {code}'}"


def _fault_in(output: str) -> str:
    """The line that says what is wrong; the first where none sounds so."""
    lines = [line for line in map(str.strip, output.splitlines()) if line]
    telling = (line for line in lines if any(word in line.lower() for word in _FAULT_WORDS))
    return one_line(hide(next(telling, lines[0] if lines else "")), _LONGEST)


def refused_since(before: Mapping[str, str], now: Mapping[str, str]) -> dict[str, str]:
    """The programs that refuse their settings now and did not before, with what they say."""
    return {
        name: said.removeprefix(f"{REFUSED}: ")
        for name, said in now.items()
        if said.startswith(REFUSED) and before.get(name, ACCEPTED) == ACCEPTED
    }


def refused(told: Mapping[str, str]) -> Iterator[str]:
    """The programs that refuse their settings, each in a sentence."""
    for name, said in told.items():
        if said.startswith(REFUSED):
            yield f"{name} does not accept its settings: {said.removeprefix(f'{REFUSED}: ')}"
