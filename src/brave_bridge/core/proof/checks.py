"""Own checks: what a person wants asked before a leg and after it, and how answers are held."""

from collections.abc import Iterator

import msgspec

from brave_bridge.core.formats.text import one_line
from brave_bridge.core.survey.topic import TopicSeen

COMMAND, HTTP, TCP, DNS, FILE, SQL, UNIT = "command", "http", "tcp", "dns", "file", "sql", "unit"
CHECK_KINDS = (COMMAND, HTTP, TCP, DNS, FILE, SQL, UNIT)
GRAVE, MINOR = "grave", "minor"
TOPIC, MINOR_TOPIC = "own checks", "own checks, minor"
"""The topics of grave checks, whose failing is worse, and of those that only want a look."""

AS_EXPECTED, FAILS, TELLS = "as expected", "fails: ", "tells: "
SQL_ENGINES = {
    "postgresql": ("runuser", "-u", "postgres", "--", "psql", "-XAtc"),
    "mysql": ("mysql", "--skip-column-names", "--batch", "--execute"),
}
"""The beginning of the command that asks each one a line of SQL."""


class OwnCheck(msgspec.Struct, frozen=True, kw_only=True):
    """One check. ``target`` is what its kind asks: words of a command, an address, a name.

    ``command``: the words of the command. ``http``: a URL; ``expected`` is the status, and after
    a space a text that the page must have. ``tcp``: host and port. ``dns``: a name. ``file``: a
    path. ``sql``: an engine of ``SQL_ENGINES`` and a statement. ``unit``: a unit that must be
    active. ``expected`` empty: the same answer as before. ``seconds`` is how long it may take.
    ``machines`` and ``role`` say where it is asked: everywhere, where both are empty.
    """

    name: str
    kind: str
    target: tuple[str, ...]
    expected: str = ""
    seconds: float = 10.0
    severity: str = GRAVE
    machines: tuple[str, ...] = ()
    role: str = ""

    @property
    def argv(self) -> tuple[str, ...]:
        """The command by which it is asked on the machine; empty where it needs none."""
        if self.kind == COMMAND:
            return self.target
        if self.kind == UNIT:
            return ("systemctl", "is-active", *self.target)
        if self.kind == SQL:
            return (*SQL_ENGINES[self.target[0]], *self.target[1:])
        return ()

    def is_of(self, machine: str, roles: frozenset[str]) -> bool:
        """Whether it is asked on a machine with those roles."""
        here = not self.machines or machine in self.machines
        return here and (not self.role or self.role in roles)


def fault_of(check: OwnCheck) -> str:
    """Why a check cannot be kept as it is; empty where it can."""
    if check.kind not in CHECK_KINDS:
        return f"{check.kind} is none of: {', '.join(CHECK_KINDS)}"
    if not check.name.strip() or not check.target or not all(check.target):
        return "a check needs a name and what to ask"
    if check.kind == TCP and not (len(check.target) == 2 and check.target[1].isdigit()):
        return "tcp needs a host and a port"
    if check.kind == HTTP and not check.target[0].startswith(("http://", "https://")):
        return "http needs an address that begins with http:// or https://"
    if check.kind == SQL and (check.target[0] not in SQL_ENGINES or len(check.target) != 2):
        return f"sql needs one of {', '.join(SQL_ENGINES)}, and a statement"
    if check.kind == FILE and not check.target[0].startswith("/"):
        return "file needs a path from the root"
    return ""


def held(check: OwnCheck, told: str) -> str:
    """An answer as the topic keeps it: held against what is expected, or for later."""
    if not check.expected:
        return TELLS + one_line(told, 150)
    if check.expected in (told, *told.splitlines()) or (
        check.kind == HTTP and _page_fits(check.expected, told)
    ):
        return AS_EXPECTED
    return f"{FAILS}it told {one_line(told, 80)!r}, {one_line(check.expected, 60)!r} was expected"


def _page_fits(expected: str, told: str) -> bool:
    """Whether a page (its status, then its text) has the status and the text that are wanted."""
    status, _, words = expected.partition(" ")
    got, _, page = told.partition(" ")
    return got == status and words in page


def topics_of_checks(checks: tuple[OwnCheck, ...], values: dict[str, str]) -> Iterator[TopicSeen]:
    """The topics of checks that were asked, by their severity."""
    for name, severity in ((TOPIC, GRAVE), (MINOR_TOPIC, MINOR)):
        mine = {c.name: values[c.name] for c in checks if c.severity == severity}
        if mine:
            yield TopicSeen(name, mine, "as you set them (brave-bridge check)")
