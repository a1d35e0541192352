"""The package database as a leg will leave it, so that the next leg can be planned on it."""

from collections.abc import Mapping

from brave_bridge.core.formats.apt_status_db import Candidate
from brave_bridge.core.formats.deb822 import stanza_text, stanzas
from brave_bridge.core.packages.changes import LegPlan

_INDEX_ONLY_FIELDS = ("Filename", "Size", "MD5sum", "SHA1", "SHA256", "Description-md5")


def database_afterwards(
    text: str, plan: LegPlan, candidates: Mapping[str, Candidate], *, where: str
) -> str:
    """The text of a status file (deb-status) with a plan's changes carried out.

    ``candidates`` are the packages that the plan may install, by name; ``where`` names the
    text in the FormatError of a damaged one.
    """
    removed = {change.name for change in plan.removed}
    arriving = {change.name.partition(":")[0] for change in plan.upgraded + plan.new}
    pieces = []
    for fields in stanzas(text, where=where):
        name = fields.get("Package", "")
        if name in arriving:
            pieces.append(_arrived(candidates.get(name), fields.get("Conffiles", "")))
            arriving.discard(name)
        elif name not in removed:
            pieces.append(stanza_text(fields))
    pieces += [_arrived(candidates.get(name), "") for name in sorted(arriving)]
    return "\n".join(piece for piece in pieces if piece)


def _arrived(candidate: Candidate | None, conffiles: str) -> str:
    """The database's stanza of a package that the leg installs."""
    if candidate is None:
        return ""
    fields = next(stanzas(candidate.stanza, where=candidate.name))
    kept = {key: value for key, value in fields.items() if key not in _INDEX_ONLY_FIELDS}
    kept["Status"] = "install ok installed"
    if conffiles:
        kept["Conffiles"] = conffiles
    return stanza_text(kept)
