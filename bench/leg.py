"""A whole leg of a small real tree beside the same by hand, and where its time goes.

``python -m bench.leg`` prints the table: the leg from the command to the prompt, then its phases as
the logbook has them. The packages of both come through one proxy on 127.0.0.1, which keeps them.

No tree is removed before the end: for minutes ext4 passes over every inode that was deleted, each
time that it makes a new one, which takes whole seconds of what comes next.
"""

import itertools
import os
import subprocess
import tempfile
import time
from collections import Counter
from datetime import datetime
from pathlib import Path

from tests.support import lab
from tests.support.still_archives import still_archives

from bench.measure import HEAD, in_turn, seconds
from bench.screen import python
from brave_bridge.machines.tree import TreeMachine
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.targets import Target

ROUNDS = 5
_OURS = "from brave_bridge.cli.entry import main; main()"
_QUIET = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL, "stdin": subprocess.DEVNULL}
_PHASES = (
    ("way back", ("TakeSnapshot", "ArchiveSettings", "MakeCard", "ExpireSnapshots")),
    ("reading", ("ReadFacts", "ReadFiles", "ListFiles")),
    ("planning", ("PlanPackages",)),
)
_RUNS = ("indices", "rehears", "Download", "Stage one", "Stage two", "check itself", "pending")
_BY_HAND = """
set -e
printf '#!/bin/sh\\nexit 101\\n' > usr/sbin/policy-rc.d; chmod 755 usr/sbin/policy-rc.d
sed -i s/bullseye-security/bookworm-security/g etc/apt/sources.list etc/apt/sources.list.d/*
sed -i s/bullseye/bookworm/g etc/apt/sources.list etc/apt/sources.list.d/*
mount -t proc proc proc
export DEBIAN_FRONTEND=noninteractive
chroot . apt-get update
chroot . apt-get -y -o Dpkg::Options::=--force-confold upgrade --without-new-pkgs
chroot . apt-get -y -o Dpkg::Options::=--force-confold full-upgrade
"""


def run_all() -> None:
    """Both in turn, after a round that fills the proxy; the trees are removed afterwards."""
    if reason := lab.why_not():
        print(f"left out, a leg: {reason}")
        return
    with still_archives(keep_all=True), tempfile.TemporaryDirectory(dir="/var/tmp") as name:
        folder = Path(name)
        trees = (fresh_tree(folder / str(number)) for number in itertools.count())
        crossed = []
        _by_hand(next(trees))

        def theirs() -> float:
            return _by_hand(next(trees))

        def ours() -> float:
            tree = next(trees)
            crossed.append(tree)
            _bridge(tree, "survey")
            _bridge(tree, "plan", "--to", "12")
            return seconds(lambda: _bridge(tree, "cross", "--to", "12", "--yes"))

        name = "a leg of a small tree (at most 1.3)"
        in_turn(name, ours, "the same by hand", theirs, ROUNDS)
        for phase, took in _by_phase(crossed[-1]):
            print(f"| … {phase}, the last time | {took:.1f} s | | | |")


def fresh_tree(tree: Path, of: Path | None = None) -> Path:
    """A copy of a kept tree (the Debian 11 with servers) that reaches its archives."""
    tree.mkdir()
    lab.copy_tree(of or lab.bullseye(), tree)
    with open("/etc/resolv.conf", "rb") as ours:
        (tree / "etc/resolv.conf").write_bytes(ours.read())
    return tree


def _bridge(tree: Path, *words: str) -> None:
    argv = python(_OURS, "--tree", str(tree), *words)
    subprocess.run(argv, check=False, **_QUIET)


def _by_hand(tree: Path) -> float:
    argv = ["unshare", "--mount", "--pid", "--fork", "--kill-child", "sh", "-c", _BY_HAND]
    return seconds(lambda: subprocess.run(argv, cwd=tree, check=True, env=os.environ, **_QUIET))


def _by_phase(tree: Path) -> list[tuple[str, float]]:
    desk = Desk(Target("tree", str(tree)), TreeMachine(tree.name, tree))
    (row, *_) = desk.procedures()
    entries = desk.logbook().entries(row.id)
    spent: Counter[str] = Counter()
    for entry in entries:
        took = _moment(entry.ended or entry.began) - _moment(entry.began)
        spent[_phase_of(entry)] += took
    whole = _moment(row.ended) - _moment(row.began)
    spent["between requests"] = whole - sum(spent.values())
    return spent.most_common()


def _phase_of(entry) -> str:
    for phase, kinds in _PHASES:
        if entry.kind in kinds:
            return phase
    if entry.kind == "Run":
        return next((word for word in _RUNS if word.lower() in entry.title.lower()), entry.title)
    return "the rest"


def _moment(text: str) -> float:
    return datetime.fromisoformat(text).timestamp() if text else time.time()


if __name__ == "__main__":
    print(HEAD)
    run_all()
