"""What works beside a machine's files, on its own side: ways back and archives of settings."""

from typing import Protocol

from brave_bridge.machines.folder import FolderMachine
from brave_bridge.machines.opening.named import named_folder
from brave_bridge.snapshots.catalogue import Snapshots
from brave_bridge.snapshots.past_systems import PastSystems
from brave_bridge.snapshots.rescue.build import keep_rescue_tool
from brave_bridge.snapshots.returning import Returning
from brave_bridge.snapshots.settings_archive import SettingsArchive, archive_settings


class Archives:
    """Archives of a machine's settings, and the rescue tool."""

    def __init__(self, machine: FolderMachine) -> None:
        self.machine = machine

    def settings(
        self, texts: dict[str, str], stamp: str, folder: str = "", more: tuple[str, ...] = ()
    ) -> SettingsArchive:
        """Archive the settings; see ``archive_settings``."""
        return archive_settings(self.machine, texts, stamp, folder, more)

    def rescue_tool(self, folder: str) -> str:
        """The rescue tool in a folder, written anew where that is older; its path. OSError."""
        return str(keep_rescue_tool(named_folder(folder)))


class Beside(Protocol):
    """What works beside a machine's files, wherever these are."""

    snapshots: Snapshots
    returning: Returning
    archives: Archives
    past: PastSystems


class BesideFolder:
    """Beside the files of a machine under a folder here: called in this process."""

    def __init__(self, machine: FolderMachine, version: str) -> None:
        self.snapshots = Snapshots(machine, version)
        self.returning = Returning(self.snapshots)
        self.archives = Archives(machine)
        self.past = PastSystems(self.snapshots)
