"""The dpkg database (dpkg(1), deb822(5)) as typed records."""

from brave_bridge.core.formats.deb822 import stanzas
from brave_bridge.core.formats.installed_package import InstalledPackage


def read_status(text: str, *, where: str = "") -> list[InstalledPackage]:
    """The packages of a dpkg status file; FormatError where it is damaged."""
    return [_installed(fields) for fields in stanzas(text, where=where) if "Package" in fields]


def _installed(fields: dict[str, str]) -> InstalledPackage:
    want, fault, state = (fields.get("Status", "").split() + ["unknown"] * 3)[:3]
    return InstalledPackage(
        name=fields["Package"],
        version=fields.get("Version", ""),
        architecture=fields.get("Architecture", ""),
        want=want,
        state=state,
        fault=fault,
        essential=fields.get("Essential") == "yes",
        priority=fields.get("Priority", ""),
        section=fields.get("Section", ""),
        installed_kib=_number(fields.get("Installed-Size", "")),
        conffiles=dict(_conffiles(fields.get("Conffiles", ""))),
        depends=", ".join(fields[n] for n in ("Pre-Depends", "Depends") if n in fields),
        provides=fields.get("Provides", ""),
    )


def _conffiles(text: str):
    for line in text.splitlines():
        words = line.split()
        if len(words) >= 2 and "obsolete" not in words[2:] and words[1] != "newconffile":
            yield words[0], words[1]


def _number(text: str) -> int:
    return int(text) if text.isdigit() else 0
