"""Real trees in a mess, taken over a leg: what was told ahead, and what it came to.

``python -m bench.messes [NAME …]`` prints a row for each: what the survey and the plan say of it,
how the crossing ended and what its proof says. The trees are copies of a small Debian 11; their
packages come through one proxy on 127.0.0.1, which keeps them.
"""

import json
import sys
import tempfile
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any

from tests.support import lab
from tests.support.commands import run_command
from tests.support.still_archives import still_archives

from bench.leg import fresh_tree

Mess = Callable[[Path], None]
MESSES: dict[str, Mess] = {}
_POSTINST = "#!/bin/sh\nexit 1\n"
_SHOWN = 110


def mess(name: str) -> Callable[[Mess], Mess]:
    """A mess by its name, in the words of the table."""

    def kept(make: Mess) -> Mess:
        MESSES[name] = make
        return make

    return kept


def _write(tree: Path, path: str, text: str, mode: int = 0o644) -> None:
    place = tree / path
    place.parent.mkdir(parents=True, exist_ok=True)
    place.write_text(text)
    place.chmod(mode)


def _add(tree: Path, path: str, text: str) -> None:
    with (tree / path).open("a") as file:
        file.write(text)


def _in_tree(tree: Path, *argv: str) -> str:
    code, told = lab.in_tree(tree, *argv)
    if code:
        raise RuntimeError(f"{argv}: {told[-300:]}")
    return told


@mess("an owner of a file in the package database that nobody knows any more")
def _unknown_owner(tree: Path) -> None:
    _add(tree, "var/lib/dpkg/statoverride", "nobodyknows root 4755 /usr/bin/passwd\n")


@mess("a package held that others need newer (libc6)")
def _held(tree: Path) -> None:
    _in_tree(tree, "apt-mark", "hold", "libc6")


@mess("a package pinned at its version of now (tar)")
def _pinned(tree: Path) -> None:
    version = _in_tree(tree, "dpkg-query", "-W", "-f", "${Version}", "tar").strip()
    pin = f"Package: tar\nPin: version {version}\nPin-Priority: 1001\n"
    _write(tree, "etc/apt/preferences.d/tar", pin)


@mess("a source that nobody answers at")
def _dead_source(tree: Path) -> None:
    _write(tree, "etc/apt/sources.list.d/gone.list", "deb [trusted=yes] http://127.0.0.1:9/d s m\n")


@mess("a package of somebody's own whose script fails")
def _own_package(tree: Path) -> None:
    info = tree / "var/lib/dpkg/info"
    _add(
        tree,
        "var/lib/dpkg/status",
        "Package: tide-gauge\nStatus: install ok half-configured\nPriority: optional\n"
        "Section: misc\nInstalled-Size: 1\nMaintainer: Harbour <harbour@northlight.example>\n"
        "Architecture: all\nVersion: 1\nDescription: reads the gauge\n\n",
    )
    (info / "tide-gauge.list").write_text("/.\n")
    _write(tree, "var/lib/dpkg/info/tide-gauge.postinst", _POSTINST, 0o755)


@mess("lists of a package's files that are gone")
def _no_lists(tree: Path) -> None:
    for name in ("tar", "grep"):
        (tree / f"var/lib/dpkg/info/{name}.list").unlink()


@mess("settings deleted and others edited by hand")
def _settings(tree: Path) -> None:
    (tree / "etc/logrotate.d/dpkg").unlink(missing_ok=True)
    _add(tree, "etc/bash.bashrc", "\n# Ours.\nalias tides=true\n")
    _add(tree, "etc/deluser.conf", "\n# Ours.\n")


@mess("a program of one's own in the place of the system's (python3, perl)")
def _own_programs(tree: Path) -> None:
    fails = "#!/bin/sh\necho 'not this one' >&2\nexit 1\n"
    for name in ("perl", "python3"):
        _write(tree, f"usr/local/bin/{name}", fails, 0o755)


@mess("a file that packages ship moved aside, and another in its place")
def _diverted(tree: Path) -> None:
    _in_tree(tree, "dpkg-divert", "--local", "--rename", "--add", "/usr/bin/which")
    _write(tree, "usr/bin/which", '#!/bin/sh\ncommand -v "$@"\n', 0o755)


@mess("a link in the place of a folder of documentation")
def _linked_folder(tree: Path) -> None:
    folder = tree / "usr/share/doc/tar"
    if folder.is_dir():
        moved = tree / "srv/doc-tar"
        moved.parent.mkdir(exist_ok=True)
        folder.rename(moved)
        folder.symlink_to("/srv/doc-tar")


@mess("nothing may be started, by a policy that somebody left")
def _policy(tree: Path) -> None:
    _write(tree, "usr/sbin/policy-rc.d", "#!/bin/sh\nexit 101\n", 0o755)


@mess("apt set to the release of now, and to install nothing recommended")
def _settings_of_apt(tree: Path) -> None:
    text = 'APT::Default-Release "bullseye";\nAPT::Install-Recommends "false";\n'
    _write(tree, "etc/apt/apt.conf.d/99ours", text)


@mess("programs of a version in their name (php7.4, asked for by that)")
def _versioned(tree: Path) -> None:
    _write(tree, "usr/sbin/policy-rc.d", "#!/bin/sh\nexit 101\n", 0o755)
    apt = ("env", "DEBIAN_FRONTEND=noninteractive", "apt-get", "-q", "-y")
    _in_tree(tree, *apt, "update")
    packages = ("php7.4-cli", "libapache2-mod-php7.4")
    _in_tree(tree, *apt, "--no-install-recommends", "install", *packages)
    _in_tree(tree, *apt, "dist-upgrade")
    (tree / "usr/sbin/policy-rc.d").unlink()


def run_all(names: list[str]) -> None:
    """Each mess in turn, and a row for each."""
    if reason := lab.why_not():
        print(f"left out, messes: {reason}")
        return
    print("| mess | told ahead | crossing | proof |\n|---|---|---|---|")
    with still_archives(keep_all=True), tempfile.TemporaryDirectory(dir="/var/tmp") as name:
        calm = _ahead(fresh_tree(Path(name) / "calm"))
        for number, (title, make) in enumerate(MESSES.items()):
            if not names or any(part in title for part in names):
                tree = fresh_tree(Path(name) / str(number))
                make(tree)
                print(_row(title, tree, calm), flush=True)


def ask(tree: Path, *words: str) -> tuple[int, dict[str, Any]]:
    """A command on a tree: its exit code, and what it says as JSON."""
    done = run_command(["--tree", str(tree), *words, "--json"])
    if "{" not in done.stdout:
        raise RuntimeError(f"{words}: {done.stdout[-300:]} {done.stderr[-900:]}")
    return done.returncode, json.loads(done.stdout[done.stdout.index("{") :])


def _ahead(tree: Path) -> list[str]:
    """What the survey finds, and what the plan keeps."""
    _, survey = ask(tree, "survey", "--to", "12")
    grave = [one for one in survey.get("findings", ()) if one["verdict"] in ("stop", "caution")]
    told = [f"{'■' if one['verdict'] == 'stop' else '▲'} {one['title']}" for one in grave]
    _, plan = ask(tree, "plan", "--to", "12")
    for name in ("pinned", "kept_back"):
        told += [f"plan: {row['name']} {row['reason']}" for row in plan.get(name, ())[:3]]
    told += [f"plan: would be refused, {one['why']}" for one in plan.get("refused", ())]
    return told


def _row(title: str, tree: Path, calm: list[str]) -> str:
    ahead = [words for words in _ahead(tree) if words not in calm]
    code, ended = ask(tree, "cross", "--to", "12", "--yes")
    outcome = ended.get("outcome") or ended
    came = f"{code}: {outcome.get('state', 'refused')}"
    if outcome.get("why"):
        came += f", {outcome['why']}"
    proof = outcome.get("proof")
    worse = (
        [d["subject"] for d in proof["differences"] if d["verdict"] == "regression"]
        if proof
        else []
    )
    proven = "none" if not proof else "passed" if proof["passed"] else f"worse: {', '.join(worse)}"
    return row((title, "; ".join(ahead) or "nothing", came, proven))


def row(cells: Iterable[str]) -> str:
    """A row of a table in Markdown."""
    return "| " + " | ".join(_cell(cell) for cell in cells) + " |"


def _cell(text: str) -> str:
    plain = " ".join(text.split()).replace("|", "/")
    return plain if len(plain) <= 4 * _SHOWN else plain[: 4 * _SHOWN] + "…"


if __name__ == "__main__":
    run_all(sys.argv[1:])
