"""The whole commands ``snapshot`` and ``return``, from the key to the prompt, beside rsync.

``python -m bench.commands`` builds 60,000 files on a fresh ext4 and prints the table, with what
the logbook says each step took. What rsync does for a return is its copy back and a dry run with
checksums, as ours compares every file afterwards. All count until everything is on the disk.
"""

import compileall
import itertools
import os
import subprocess
import sys
from datetime import datetime
from functools import partial
from pathlib import Path

import brave_bridge
from bench.copies import RSYNC, _change, _fresh_ext4, _removed, _run, _settle, _touch, build
from bench.measure import HEAD, in_turn, seconds
from bench.screen import python
from brave_bridge.machines.tree import TreeMachine
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.targets import Target

FILES = 60_000
ROUNDS = 3
_SHARE = 0.3
"""A workstation's files are smaller: 60,000 are about 450 MB."""
_OURS = "from brave_bridge.cli.entry import main; main()"
_STATUS = """Package: quay-libc
Status: install ok installed
Architecture: amd64
Version: 1

"""


def run_all(files: int = FILES) -> None:
    """All three, in a folder that is removed afterwards."""
    # As an installed program is.
    compileall.compile_dir(Path(brave_bridge.__file__).parent, quiet=2)
    with _fresh_ext4() as folder:
        tree, base = folder / "tree", folder / "base"
        build(tree, files, _SHARE)
        (tree / "var/lib/dpkg").mkdir(parents=True)
        (tree / "var/lib/dpkg/status").write_text(_STATUS)
        _snapshots(tree, base)
        _returns(tree, base)


def _snapshots(tree: Path, base: Path) -> None:
    def first() -> float:
        _removed(tree / "var/lib/brave-bridge")
        return _bridge(tree, "snapshot", "--reason", "bench")

    def copied() -> float:
        _removed(base)
        return _timed(*RSYNC, f"{tree}/", base)

    in_turn("`snapshot`, first (at most 1.0)", first, "`rsync -aHAX`", copied, ROUNDS)
    _tell_steps(tree)
    numbers = itertools.count()

    def later() -> float:
        _touch(tree, 0.01)
        return _bridge(tree, "snapshot", "--reason", f"bench {next(numbers)}")

    def linked() -> float:
        _touch(tree, 0.01)
        newer = base.with_name("newer")
        spent = _timed(*RSYNC, f"--link-dest={base}", f"{tree}/", newer)
        _removed(base)
        newer.rename(base)
        return spent

    beside = "`rsync -aHAX --link-dest`"
    in_turn("`snapshot`, a later one (at most 0.8)", later, beside, linked, ROUNDS)
    _tell_steps(tree)


def _returns(tree: Path, base: Path) -> None:
    _bridge(tree, "snapshot", "--reason", "to return to")
    newest = _desk(tree).snapshots.all()[-1].id
    _run(*RSYNC, "--delete", f"{tree}/", base)

    def returned() -> float:
        _change(tree)
        return _bridge(tree, "return", newest, "--yes")

    def put_back() -> float:
        _change(tree)
        spent = _timed(*RSYNC, "--delete", f"{base}/", tree)
        return spent + _timed(*RSYNC, "--checksum", "-n", "--delete", f"{base}/", tree)

    beside = "`rsync --delete`, then `-n --checksum`"
    in_turn("`return` (at most 1.2)", returned, beside, put_back, ROUNDS)
    _tell_steps(tree)


def _bridge(tree: Path, *words: str) -> float:
    _settle("warm")
    return _timed(*python(_OURS, "--tree", str(tree), *words))


def _timed(*argv: object) -> float:
    words = [str(word) for word in argv]
    run = partial(subprocess.run, words, check=True, stdout=subprocess.DEVNULL)
    return seconds(lambda: (run(), os.sync()))


def _desk(tree: Path) -> Desk:
    return Desk(Target("tree", str(tree)), TreeMachine(tree.name, tree))


def _tell_steps(tree: Path) -> None:
    """What the logbook says of the newest procedure, and how long it was under way."""
    logbook = _desk(tree).logbook()
    row = max(logbook.procedures(), key=lambda one: one.began)
    moment = datetime.fromisoformat
    for entry in logbook.entries(row.id):
        took = moment(entry.ended or entry.began) - moment(entry.began)
        print(f"| … {entry.title} | {took.total_seconds():.2f} s | | | |")
    whole = (moment(row.ended) - moment(row.began)).total_seconds()
    print(f"| … from its beginning to its end | {whole:.2f} s | | | |", flush=True)
    logbook.close()


if __name__ == "__main__":
    print(HEAD)
    run_all(int(sys.argv[1]) if len(sys.argv) > 1 else FILES)
