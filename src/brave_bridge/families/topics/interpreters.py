"""What runs the scripts that somebody put here: in /usr/local, among the jobs, behind units."""

from brave_bridge.core.formats.shebang import interpreter_of
from brave_bridge.core.formats.text import one_line
from brave_bridge.core.survey.interpreter import Interpreter
from brave_bridge.machines.queries import Contents, Names, Query, Seen

_SCRIPTS = (
    "/usr/local/bin/*",
    "/usr/local/sbin/*",
    "/usr/local/lib/*/*",
    "/opt/*/bin/*",
    "/etc/cron.hourly/*",
    "/etc/cron.daily/*",
    "/etc/cron.weekly/*",
    "/etc/cron.monthly/*",
    "/etc/init.d/*",
    "/etc/network/if-*.d/*",
    "/etc/NetworkManager/dispatcher.d/*",
)
_BEGINNINGS = tuple(pattern.partition("*")[0] for pattern in _SCRIPTS)
_PATH = ("/usr/local/sbin", "/usr/local/bin", "/usr/sbin", "/usr/bin", "/sbin", "/bin")
_HEAD_BYTES = 256
_MOST_USERS = 20
QUERIES: tuple[Query, ...] = (Contents(_SCRIPTS, _HEAD_BYTES, cut=True),)


def further(seen: Seen) -> tuple[Query, ...]:
    """Whether the programs are there that the scripts name."""
    return (Names(tuple(path for name in _users(seen) for path in _places(name))),)


def read(seen: Seen) -> tuple[Interpreter, ...]:
    """The programs by name or path, each with the scripts that it runs, and where it is."""
    found = []
    for name, users in sorted(_users(seen).items()):
        there = next((path for path in _places(name) if path in seen.found), "")
        found.append(Interpreter(one_line(name, 120), there, tuple(users[:_MOST_USERS])))
    return tuple(found)


def _users(seen: Seen) -> dict[str, list[str]]:
    users: dict[str, list[str]] = {}
    near = sorted(path for path in seen.contents if path.startswith(_BEGINNINGS))
    for pattern, beginning in zip(_SCRIPTS, _BEGINNINGS, strict=True):
        for path in near:
            if path.startswith(beginning) and path.count("/") == pattern.count("/"):
                name = interpreter_of(seen.contents[path])
                if name:
                    users.setdefault(name, []).append(path)
    return users


def _places(name: str) -> tuple[str, ...]:
    """Where a program is looked for; a pattern, which no path may be, is looked for nowhere."""
    if any(wild in name for wild in "*?["):
        return ()
    if name.startswith("/"):
        return (name,)
    return () if "/" in name else tuple(f"{folder}/{name}" for folder in _PATH)
