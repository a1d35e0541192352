"""The services that packages bring, by the lists of files that dpkg keeps (dpkg(1))."""

import re
from collections.abc import Iterable, Iterator

from brave_bridge.core.packages.changes import ServiceChange
from brave_bridge.families.deb.places import INFO
from brave_bridge.machines.port import Machine

_UNIT = re.compile(rb"^/(?:usr/)?lib/systemd/system/([A-Za-z0-9:_.\\@-]+\.service)$", re.MULTILINE)
_LIMIT = 50_000_000


def services_of(machine: Machine, slots: Iterable[str]) -> Iterator[ServiceChange]:
    """The service units of packages; templates, which run under other names, are left out."""
    for slot in slots:
        name = slot.partition(":")[0]
        for path in machine.files.matching(f"{INFO}/{name}.list") or machine.files.matching(
            f"{INFO}/{name}:*.list"
        ):
            content = machine.files.read_if_there(path, _LIMIT) or b""
            for unit in dict.fromkeys(_UNIT.findall(content)):
                if b"@" not in unit:
                    yield ServiceChange(unit.decode(), slot)
