"""The settings of an image system: exported before its image is left, restored on the way back.

A newer image may write them in a form of its own, which the older one does not read.
"""

from brave_bridge.core.crossing.replies import FilesRead, Ran, Reply
from brave_bridge.core.crossing.requests import ReadFiles, Run, Script
from brave_bridge.core.crossing.stage import ended_well, what_was_seen
from brave_bridge.core.images.system import SETTINGS_FILE, TOOL, export_of


def export_settings(version: str) -> Script[str]:
    """Have the settings of a release exported; why they are not, empty where they are."""
    path = export_of(version)
    reply = yield from Run(title=f"Export the settings of {version}", argv=(TOOL, "export", path))
    if not ended_well(reply):
        return _said(reply)
    found = yield from ReadFiles(title="See that they are exported", patterns=(path,))
    if not (isinstance(found, FilesRead) and found.files and found.files[0].text.strip()):
        return what_was_seen(found) or f"{path} has nothing in it"
    return ""


def restore_settings(version: str) -> Script[tuple[str, ...]]:
    """Restore what was exported of a release, and hold it against that; what is to be looked at."""
    path = export_of(version)
    found = yield from ReadFiles(title="Look for the settings of before", patterns=(path,))
    if not (isinstance(found, FilesRead) and found.files):
        return (f"the settings of {version} were not exported: those of now stay",)
    reply = yield from Run(title=f"Restore the settings of {version}", argv=(TOOL, "restore", path))
    if not ended_well(reply):
        return (f"the settings of {version} are not restored: {_said(reply)}; they are in {path}",)
    again = yield from Run(
        title="Export them again, to compare", argv=(TOOL, "export", f"{path}.restored")
    )
    both = yield from ReadFiles(
        title="Compare them with the export", patterns=(path, f"{path}.restored")
    )
    texts = {file.text for file in both.files} if isinstance(both, FilesRead) else set()
    if not ended_well(again) or len(texts) != 1:
        return (f"the settings in {SETTINGS_FILE} are not those that were exported to {path}",)
    return ()


def _said(reply: Reply) -> str:
    output = reply.output if isinstance(reply, Ran) else what_was_seen(reply)
    return output.strip().rpartition("\n")[2] or "it ended without a word"
