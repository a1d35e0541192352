"""A stand-in's ``dpkg``: ``--configure --pending`` (or ``-a``), ``--audit``, and ``--purge``."""

from brave_bridge.machines.folder import FolderMachine
from brave_bridge.machines.standin.apt import configure_one
from brave_bridge.machines.standin.database import Database


def run(machine: FolderMachine, words: list[str]) -> int:
    """Carry it out; its exit code. What would be purged is gone already."""
    database = Database(machine)
    if "--audit" in words:
        for name in database.unfinished():
            print(f" {name}")
        return 0
    if "--purge" in words:
        return 0
    if "--configure" not in words:
        print(f"dpkg: error: need an action option: {words}")
        return 2
    keep_mine = True if "--force-confold" in words else None
    failed = [name for name in database.unfinished() if configure_one(database, name, keep_mine)]
    if failed:
        print("Errors were encountered while processing:")
        for name in failed:
            print(f" {name}")
    return 1 if failed else 0
