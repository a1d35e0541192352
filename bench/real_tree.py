"""Survey and plan of a real Debian tree, warm caches."""

import shutil
import subprocess
import tempfile
from pathlib import Path

from tests.support import lab

from bench.measure import in_turn, seconds
from brave_bridge.machines.tree import TreeMachine
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.planning.plans import Plans
from brave_bridge.workbench.targets import Target

_QUIET = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL, "stdin": subprocess.DEVNULL}


def run_all() -> None:
    """All measurements of the tree, in a folder that is removed afterwards."""
    if reason := lab.why_not():
        print(f"left out, survey and plan: {reason}")
        return
    folder = Path(tempfile.mkdtemp(prefix="brave-bridge-bench-", dir="/var/tmp"))
    try:
        _survey(folder)
        _plan(folder)
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
            for option in (
                f"Dir::Etc::sourcelist={inside}/sources.list",
                "Dir::Etc::sourceparts=/dev/null",
                f"Dir::State::lists={inside}/lists",
                "APT::Sandbox::User=root",
                "Dir::Cache::pkgcache=",
                "Dir::Cache::srcpkgcache=",
            )
            for word in ("-o", option)
        ]
        _run("chroot", tree, "apt-get", *options, "update")
        _run("chroot", tree, "apt-get", *options, "--simulate", "full-upgrade")

    shutil.copy("/etc/resolv.conf", tree / "etc/resolv.conf")
    in_turn(
        "plan of one leg, 11 to 12, downloads of indices included",
        lambda: seconds(lambda: Plans(_desk(tree)).make("12")),
        "`apt-get update` and `apt-get --simulate full-upgrade`",
        lambda: seconds(simulate),
    )
