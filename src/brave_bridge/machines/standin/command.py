"""The program that runs a command on a stand-in: ``python -m ... ROOT -- argv``."""

import sys
from pathlib import Path

from brave_bridge.machines.folder import FolderMachine
from brave_bridge.machines.standin.apt import AptGet, configure_one
from brave_bridge.machines.standin.database import Database


class _Files(FolderMachine):
    """The files of the stand-in that a command works on."""

    kind = "stand-in"


def run(root: Path, argv: list[str]) -> int:
    """Carry out a command; its exit code, 127 where the stand-in has no such program."""
    machine = _Files(root.name, root)
    if argv[0] == "apt-get":
        return AptGet(machine, argv[1:]).run()
    if argv[0] == "dpkg":
        return _dpkg(machine, argv[1:])
    print(f"{argv[0]}: not found")
    return 127


def _dpkg(machine: FolderMachine, words: list[str]) -> int:
    """``dpkg --configure --pending`` (or ``-a``) and ``dpkg --audit``."""
    database = Database(machine)
    if "--audit" in words:
        for name in database.unfinished():
            print(f" {name}")
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


if __name__ == "__main__":
    # Whoever watches the job's output sees each line as it comes.
    sys.stdout.reconfigure(line_buffering=True)
    sys.exit(run(Path(sys.argv[1]), sys.argv[3:]))
