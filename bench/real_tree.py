"""Survey, plan, snapshot and return of a real Debian tree, warm caches."""

import itertools
import os
import shutil
import subprocess
import tempfile
from pathlib import Path

from tests.support import lab

from bench.measure import in_turn, seconds
from brave_bridge.machines.tree import TreeMachine
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.targets import Target

_QUIET = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL, "stdin": subprocess.DEVNULL}


def run_all() -> None:
    """All measurements of the tree, in a folder that is removed afterwards."""
    if reason := lab.why_not():
        print(f"left out, survey to return: {reason}")
        return
    folder = Path(tempfile.mkdtemp(prefix="brave-bridge-bench-", dir="/var/tmp"))
    try:
        _survey(folder)
        _plan(folder)
        _copies(folder)
    finally:
        subprocess.run(["rm", "-rf", "--one-file-system", folder], check=True)


def _fresh(folder: Path, name: str) -> Path:
    tree = folder / name
    tree.mkdir()
    lab.copy_tree(lab.bullseye(), tree)
    return tree


def _desk(tree: Path) -> Desk:
    return Desk(Target("tree", str(tree)), TreeMachine(tree.name, tree))


def _run(*argv: object) -> None:
    subprocess.run([str(word) for word in argv], check=True, **_QUIET)


def _survey(folder: Path) -> None:
    tree = _fresh(folder, "survey")
    script = "dpkg-query -W -f '${Status} ${Package} ${Version} ${Conffiles}' && dpkg --verify"
    in_turn(
        "survey: facts of the tree and findings",
        lambda: seconds(lambda: _desk(tree).survey("trixie")),
        "`dpkg-query -W` and `dpkg --verify` in the tree",
        lambda: seconds(
            lambda: subprocess.run(["chroot", tree, "sh", "-c", script], check=False, **_QUIET)
        ),
    )


def _plan(folder: Path) -> None:
    tree = _fresh(folder, "plan")
    state = Path(tempfile.mkdtemp(dir=tree / "var/tmp"))
    sources = state / "sources.list"
    main, *security = lab.mirrors()
    lines = [f"deb {main} bookworm main", *(f"deb {s} bookworm-security main" for s in security)]
    sources.write_text("\n".join(lines[:2]) + "\n")
    inside = "/" + str(state.relative_to(tree))

    def simulate() -> None:
        shutil.rmtree(state / "lists", ignore_errors=True)
        (state / "lists/partial").mkdir(parents=True)
        options = [
            word
            for option in (f"Dir::Etc::sourcelist={inside}/sources.list",
                           "Dir::Etc::sourceparts=/dev/null", f"Dir::State::lists={inside}/lists",
                           "APT::Sandbox::User=root", "Dir::Cache::pkgcache=",
                           "Dir::Cache::srcpkgcache=")
            for word in ("-o", option)
        ]  # fmt: skip
        _run("chroot", tree, "apt-get", *options, "update")
        _run("chroot", tree, "apt-get", *options, "--simulate", "full-upgrade")

    shutil.copy("/etc/resolv.conf", tree / "etc/resolv.conf")
    in_turn(
        "plan of one leg, 11 to 12, downloads of indices included",
        lambda: seconds(lambda: _desk(tree).plan("12")),
        "`apt-get update` and `apt-get --simulate full-upgrade`",
        lambda: seconds(simulate),
    )


def _copies(folder: Path) -> None:
    tree = _fresh(folder, "copies")
    desk = _desk(tree)
    numbers = itertools.count()
    theirs = folder / "theirs"
    theirs.mkdir()

    def forget() -> None:
        _run("rm", "-rf", tree / "var/lib/brave-bridge/snapshots")

    def first() -> float:
        forget()
        return seconds(lambda: desk.snapshots.take(f"s{next(numbers)}", "Debian", "bench", ""))

    def copied(*argv: object) -> float:
        target = theirs / str(next(numbers))
        spent = seconds(lambda: _run(*argv, f"{tree}/", target) or os.sync())
        _run("rm", "-rf", target)
        return spent

    rsync = ("rsync", "-aHAX", "--exclude=/home", "--exclude=/var/lib/brave-bridge")
    in_turn("first snapshot by copy, hashes taken, synced", first,
            "`cp -a`, synced", lambda: copied("cp", "-a", "-T"), rounds=2)  # fmt: skip
    in_turn("first snapshot by copy, hashes taken, synced", first,
            "`rsync -aHAX`, synced", lambda: copied(*rsync), rounds=2)  # fmt: skip
    _later(desk, tree, theirs, numbers, rsync)


def _later(desk: Desk, tree: Path, theirs: Path, numbers, rsync) -> None:
    """Snapshots after a change of one file in a hundred, and the return from such a change."""
    base = theirs / "base"
    _run(*rsync, f"{tree}/", base)
    every = [path for path in sorted(tree.glob("usr/**/*")) if path.is_file()][::100]

    def change() -> None:
        for path in every:
            if not path.is_symlink():
                path.write_bytes(path.read_bytes() + b"\n")

    def later() -> float:
        change()
        return seconds(lambda: desk.snapshots.take(f"s{next(numbers)}", "Debian", "bench", ""))

    def linked() -> float:
        change()
        target = theirs / str(next(numbers))
        spent = seconds(
            lambda: _run(*rsync, f"--link-dest={base}", f"{tree}/", target) or os.sync()
        )
        _run("rm", "-rf", base)
        target.rename(base)
        return spent

    in_turn("later snapshot, 1 % of files changed", later,
            "`rsync -aHAX --link-dest`, synced", linked)  # fmt: skip
    kept = desk.snapshots.all()[-1]
    _run(*rsync, "--delete", f"{tree}/", base)

    def restored() -> float:
        change()
        return seconds(lambda: desk.snapshots.restore(kept, lambda *words: None))

    def put_back() -> float:
        change()
        return seconds(lambda: _run(*rsync, "--delete", f"{base}/", tree) or os.sync())

    in_turn("return after 1 % of files changed, compared by content", restored,
            "`rsync -aHAX --delete`, synced", put_back)  # fmt: skip
