"""Owners that dpkg is told to give to files of packages (dpkg-statoverride(1))."""

from collections.abc import Iterator

OVERRIDES = "/var/lib/dpkg/statoverride"
USERS, GROUPS = "/etc/passwd", "/etc/group"


def unknown_owners(overrides: str, users: str, groups: str) -> Iterator[str]:
    """The users and groups that are named and not there; dpkg ends at the first of them."""
    known = {"user": _names(users), "group": _names(groups)}
    for number, line in enumerate(overrides.splitlines(), start=1):
        words = line.split()
        for kind, name in zip(("user", "group"), words[:2], strict=False):
            # A number stands for itself: nobody looks it up.
            if len(words) >= 4 and not name.startswith("#") and name not in known[kind]:
                let_go = f"dpkg-statoverride --remove {words[3]}"
                yield f"{OVERRIDES}:{number}: {kind} {name} ({let_go} lets go of it)"


def _names(text: str) -> set[str]:
    return {line.partition(":")[0] for line in text.splitlines()}
