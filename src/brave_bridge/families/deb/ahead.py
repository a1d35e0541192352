"""Fetching a leg's indices and packages ahead, while the machine's own are as they were.

Follows apt.conf(5): lists and sources of a folder of our own, so that nothing of the machine's
is touched before there is a way back. Packages go into the machine's own cache.
"""

from brave_bridge.core.crossing.ahead import PLACE
from brave_bridge.core.crossing.replies import FileText
from brave_bridge.core.formats.hidden import addresses_with_credentials
from brave_bridge.core.plan.leg_plan import LegPlan

FOLDER = f"{PLACE}/deb"
"""Not in our state folder: apt fetches as a user of its own, who must be able to write there."""

AHEAD_LISTS = f"{FOLDER}/lists"
TEMPORARY = {"TMPDIR": f"{AHEAD_LISTS}/partial"}
"""Where apt puts what it verifies by: a snapshot that is being taken shall not have it in /tmp."""

CHOICE = f"{FOLDER}/preferences"
_QUIET_HOOKS = f"{FOLDER}/apt.conf"
_SOURCES = "/etc/apt/"

OPTIONS = (
    "-c",
    _QUIET_HOOKS,
    "-o",
    f"Dir::Etc::sourcelist={FOLDER}/sources.list",
    "-o",
    f"Dir::Etc::sourceparts={FOLDER}/sources.list.d",
    "-o",
    f"Dir::State::lists={AHEAD_LISTS}",
    "-o",
    # Kept, so that what fetches the packages need not read all indices again.
    f"Dir::Cache::pkgcache={FOLDER}/pkgcache.bin",
    "-o",
    f"Dir::Cache::srcpkgcache={FOLDER}/srcpkgcache.bin",
)
_CLEARED = ("Pre-Invoke", "Post-Invoke", "Post-Invoke-Success")


def files_ahead(plan: LegPlan, choice: str) -> tuple[FileText, ...]:
    """What is to be written first; nothing where an address has a name or password in it.

    A password stays where it is: no second file is to have it.
    """
    sources = [file for file in plan.sources.files if file.path.startswith(_SOURCES)]
    if not sources or any(addresses_with_credentials(file.text) for file in sources):
        return ()
    return (
        # Hooks behind an update would take our lists for the machine's.
        FileText(_QUIET_HOOKS, "".join(f"#clear APT::Update::{name};\n" for name in _CLEARED)),
        FileText(CHOICE, choice),
        FileText(f"{AHEAD_LISTS}/partial/.place", ""),
        *(FileText(f"{FOLDER}/{file.path.removeprefix(_SOURCES)}", file.text) for file in sources),
    )
