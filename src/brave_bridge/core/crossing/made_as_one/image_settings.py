"""The settings of an image system: exported before its image is left, restored on the way back.

A newer image may write them in a form of its own, which the older one does not read. They may have
secrets in them: what is asked and answered here has their sums alone.
"""

from brave_bridge.core.crossing.replies import FilesListed
from brave_bridge.core.crossing.requests import ListFiles, Run, Script
from brave_bridge.core.crossing.stage import ended_well, last_words
from brave_bridge.core.formats.sums import SHA256
from brave_bridge.core.images.system import SETTINGS_FILE, TOOL, export_of


def export_settings(version: str) -> Script[str]:
    """Have the settings of a release exported; why they are not, empty where they are."""
    path = export_of(version)
    reply = yield from Run(title=f"Export the settings of {version}", argv=(TOOL, "export", path))
    if not ended_well(reply):
        return last_words(reply)
    return "" if SHA256.fullmatch(last_words(reply)) else f"no sum of {path} was told"


def restore_settings(version: str) -> Script[tuple[str, ...]]:
    """Restore what was exported of a release, and hold it against that; what is to be looked at."""
    path = export_of(version)
    folder, _, name = path.rpartition("/")
    found = yield from ListFiles(
        title="Look for the settings of before", folder=folder, suffixes=(f"/{name}",)
    )
    if not (isinstance(found, FilesListed) and found.paths):
        return (f"the settings of {version} were not exported: those of now stay",)
    reply = yield from Run(title=f"Restore the settings of {version}", argv=(TOOL, "restore", path))
    if not ended_well(reply):
        return (
            f"the settings of {version} are not restored: {last_words(reply)}; they are in {path}",
        )
    again = yield from Run(
        title="Export them again, to compare", argv=(TOOL, "export", f"{path}.restored")
    )
    if not ended_well(again) or last_words(again) != last_words(reply):
        return (f"the settings in {SETTINGS_FILE} are not those that were exported to {path}",)
    return ()
