"""Where archives of the settings stand in the state folder, and which belongs to a way back."""

from brave_bridge.machines.port import State

FOLDER = "settings"
_ENDINGS = (".tar.zst", ".index.txt", ".sha256")


def archive_of(state: State, way_back: str) -> str:
    """The name of the archive that was made beside a way back; empty where there is none."""
    name = f"{FOLDER}/{way_back}{_ENDINGS[0]}"
    return name if way_back and name in state.names(f"{FOLDER}/*{_ENDINGS[0]}") else ""


def remove_archive(state: State, way_back: str) -> None:
    """Remove the archive that was made beside a way back, if there is one."""
    for ending in _ENDINGS:
        state.remove(f"{FOLDER}/{way_back}{ending}")
