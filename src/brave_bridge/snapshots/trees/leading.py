"""Where what is left out really stands: rules hold for where paths lead, inside the root.

A home folder is one wherever it is: behind a link, or where the accounts say (passwd(5)).
"""

import os
import re
from collections.abc import Iterator
from pathlib import Path

from brave_bridge.machines.opening.beneath import DIRECTORY, LINK, Beneath
from brave_bridge.machines.rooted import located
from brave_bridge.snapshots.trees.cover import Cover, Exclusion

_WILD = re.compile(r"[*?\[]")
_PASSWD, _LARGEST_PASSWD = "etc/passwd", 16_000_000
_FIRST_PERSON, _LAST_PERSON = 1000, 60_000
"""The numbers of accounts that are persons' (login.defs(5), UID_MIN and UID_MAX)."""

_MOST_LINKS = 1000
_HOME = "home"
HOME_REASON = "home folders stay as they are; back them up yourself"

_PROGRAMS = ("bin", "sbin", "lib", "lib32", "lib64", "libx32")
_DATABASES = ("var/lib/dpkg", "var/lib/rpm", "var/lib/pacman", "var/lib/apt")
_BELOW_USR = ("usr/libexec", "usr/share", "usr/include", *("usr/" + name for name in _PROGRAMS))
_SYSTEM = ("etc", "boot", "efi", *_PROGRAMS, *_BELOW_USR, *_DATABASES)
_SYSTEM_ITSELF = ("usr", "usr/local", "opt", "root", "srv", "var/lib", "var/log", "var/spool")
"""What belongs to the system itself, though data may stand below it."""


def leads_to(root: Path, path: str) -> str:
    """Where a path below a root leads, from there; the path itself where no link is on the way."""
    try:
        found = located(str(root), path)
    except OSError:
        return path
    return found[len(str(root).rstrip("/")) :].strip("/")


def with_what_is_led_to(root: Path, cover: Cover) -> Cover:
    """A cover that also leaves out what its rules lead to, and the home folders of accounts.

    What belongs to the system is left out by no link: then the link is what is odd.
    """
    known = {exclusion.path for exclusion in cover.exclusions}
    found = []
    for exclusion in (*_led_to(root, cover), *_homes(root, cover)):
        above = Cover((*cover.exclusions, *found))
        if exclusion.path not in known and not above.keeps_out_of(exclusion.path):
            found.append(exclusion)
    return Cover((*cover.exclusions, *found)) if found else cover


def _led_to(root: Path, cover: Cover) -> Iterator[Exclusion]:
    for rule in cover.exclusions:
        wild = _WILD.search(rule.path)
        stands = rule.path[: wild.start()].rpartition("/")[0] if wild else rule.path
        rest = rule.path[len(stands) :]
        place = leads_to(root, stands) if stands else ""
        if place != stands and _may_be_left_out(place):
            yield _elsewhere(rule, place + rest, "/" + stands)
        if rule.passing or wild or not rule.reason:
            continue
        for name in _links_in(root, place):
            inner = leads_to(root, place + "/" + name)
            if inner != place + "/" + name and _may_be_left_out(inner):
                yield _elsewhere(rule, inner, "/" + stands + "/" + name)


def _elsewhere(rule: Exclusion, place: str, link: str) -> Exclusion:
    reason = rule.reason + " (" + link + " leads there)" if rule.reason else ""
    return Exclusion(place, reason, rule.kinds, rule.passing, rule.without_trace)


def _links_in(root: Path, folder: str) -> "list[str]":
    try:
        names = [name for name, kind in Beneath(root, folder).entries() if kind == LINK]
    except OSError:
        return []
    return names[:_MOST_LINKS]


def _homes(root: Path, cover: Cover) -> Iterator[Exclusion]:
    """The home folders of persons that stand elsewhere; each belongs to its account."""
    if not any(exclusion.path == _HOME for exclusion in cover.exclusions):
        return  # A person wants them covered.
    for user, home in _persons(root):
        place = leads_to(root, home)
        if place and _may_be_left_out(place) and _owner(root, place) == user:
            yield Exclusion(place, HOME_REASON)


def _persons(root: Path) -> "Iterator[tuple[int, str]]":
    try:
        content = Beneath(root, leads_to(root, _PASSWD)).read(_LARGEST_PASSWD)
    except OSError:
        return
    for line in content.decode("utf-8", "surrogateescape").splitlines():
        words = line.split(":")
        if len(words) < 7 or not words[2].isdigit() or len(words[2]) > 9:
            continue
        if _FIRST_PERSON <= int(words[2]) <= _LAST_PERSON and words[5].startswith("/"):
            yield int(words[2]), words[5].strip("/")


def _owner(root: Path, path: str) -> int:
    try:
        place = Beneath(root, path)
        status = place.status() if place.kind == DIRECTORY else None
    except OSError:
        return -1
    return -1 if status is None else status.st_uid


def _may_be_left_out(path: str) -> bool:
    """Whether it is neither the root, nor a part of the system, nor above one."""
    if not path or path in _SYSTEM_ITSELF or path == os.pardir:
        return False
    return not any(
        path == system or path.startswith(system + "/") or system.startswith(path + "/")
        for system in _SYSTEM
    )
