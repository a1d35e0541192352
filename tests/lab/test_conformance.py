"""The stand-in held against the real package manager, on the same root and repositories.

The stand-in's root becomes the upper layer over a real Debian tree, so the tree's own apt
and dpkg work on the very same database, sources, keys and config files.
"""

import functools
import http.server
import json
import os
import shutil
import threading
from pathlib import Path
from urllib.parse import urlsplit

import pytest

from brave_bridge.core.crossing.restart import WITHOUT
from brave_bridge.core.formats.apt_status_db import read_status
from brave_bridge.machines.standin.machine import StandInMachine
from brave_bridge.machines.tree import TreeMachine
from brave_bridge.runner.briefs import CrossBrief
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.planning.plans import Plans
from brave_bridge.workbench.targets import Target
from tests.support import lab
from tests.support.runs import answering, begin, carry_out_on

pytestmark = pytest.mark.xdist_group("conformance")
STATUS = "/var/lib/dpkg/status"


class _Archive(http.server.SimpleHTTPRequestHandler):
    """Answers as a proxy: whatever the host, the path is that of a demo archive."""

    def translate_path(self, path: str) -> str:
        return super().translate_path(urlsplit(path).path)

    def log_message(self, *words) -> None:
        pass


@pytest.fixture(scope="module")
def archives(demo_world):
    """A proxy on this machine that stands for the made-up archives."""
    handler = functools.partial(_Archive, directory=str(demo_world / "archives"))
    server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), handler)
    thread = threading.Thread(target=server.serve_forever, daemon=True)
    thread.start()
    with pytest.MonkeyPatch.context() as patch:
        # Every run has a made-up world of its own, under the same addresses.
        patch.setenv("XDG_CACHE_HOME", str(demo_world / "cache"))
        patch.setenv("http_proxy", f"http://127.0.0.1:{server.server_port}")
        yield
    server.shutdown()
    server.server_close()


def hold_a_package(root: Path) -> None:
    status = root / STATUS.lstrip("/")
    stanzas = status.read_text().split("\n\n")
    held = [
        s.replace("Status: install ok", "Status: hold ok") if "Package: quay-webd\n" in s else s
        for s in stanzas
    ]
    assert held != stanzas
    status.write_text("\n\n".join(held))


def block_the_database_script(root: Path) -> None:
    shutil.rmtree(root / "var/lib/tidebase")
    (root / "var/lib/tidebase").write_text("in the way")


SCENARIOS = {
    "third-party package goes, config files stay": (lambda root: None, "keep"),
    "the new version of a config file is taken": (lambda root: None, "theirs"),
    "a held package is kept back": (hold_a_package, "keep"),
    "a maintainer script fails": (block_the_database_script, "keep"),
}


def end_state(open_desk, answer: str) -> dict:
    """Plan, cross, and tell all that can be compared."""
    desk = open_desk()
    kept = Plans(desk).make("7")
    if answer == "theirs":
        kept = Plans(desk).answer(kept, "/etc/quay-webd/webd.conf", "theirs")
    begin(desk, CrossBrief("deb", kept.legs), unattended=False)
    # The tree is never started: only what the package manager leaves is compared.
    answering(open_desk, "trial", lambda a: WITHOUT if WITHOUT in a.choices else a.default)
    assert carry_out_on(open_desk, "trial") == 0
    desk = open_desk()
    outcome = desk.logbook().procedure("trial").outcome
    runs = [e for e in desk.logbook().entries("trial") if e.kind == "Run"]
    # The tree is not started: what follows a restart is the stand-in's alone.
    behind = ("Fetch what the sources have", "Ask the package manager what is pending")
    runs = [e for e in runs if e.title not in behind]
    packages = read_status(desk.machine.files.read(STATUS, 10_000_000).decode(), where=STATUS)
    leg = kept.legs[0]
    return {
        "plan": {
            kind: sorted((c.name, c.old, c.new) for c in getattr(leg.packages, kind))
            for kind in ("upgraded", "new", "removed", "kept_back")
        },
        "sizes": (leg.download_bytes, leg.disk_bytes),
        "outcome": (outcome.state, outcome.at, outcome.set_aside, outcome.obsolete),
        "exit codes": [(e.title, json.loads(e.reply)["exit_code"]) for e in runs],
        "packages": {p.name: (p.version, p.want, p.state, p.conffiles) for p in packages},
        "files": files_of(desk.machine.root, {p.name for p in packages}),
    }


def files_of(root: Path, packages: set[str]) -> dict[str, str]:
    """The content of what packages brought, and of all config files beside them."""
    paths = set()
    for name in packages:
        listed = root / f"var/lib/dpkg/info/{name}.list"
        if listed.exists():
            paths |= {line for line in listed.read_text().splitlines() if line not in ("/.", "/")}
    found = {}
    for path in sorted(paths):
        place = root / path.lstrip("/")
        for candidate in (place, *place.parent.glob(f"{place.name}.dpkg-*")):
            if candidate.is_file():
                found[str(candidate.relative_to(root))] = candidate.read_text()
    return found


@pytest.mark.parametrize("scenario", SCENARIOS)
def test_the_stand_in_ends_as_the_real_package_manager(
    scenario, stand_in, archives, bullseye, tmp_path
):
    prepare, answer = SCENARIOS[scenario]
    root = stand_in("petrel").machine.root
    prepare(root)
    upper = tmp_path / "real/upper"
    shutil.copytree(root, upper, symlinks=True)
    for name in ("updates", "triggers", "alternatives", "parts"):
        (upper / "var/lib/dpkg" / name).mkdir(exist_ok=True)

    simulated = end_state(
        lambda: Desk(Target("demo", "petrel"), StandInMachine("petrel", root)), answer
    )
    hidden = ("etc/apt", "var/lib/dpkg", "var/lib/apt", "var/lib/ucf", "var/cache/apt", "boot")
    with lab.overlay(bullseye, tmp_path / "real", opaque=hidden) as merged:
        real = end_state(
            lambda: Desk(Target("tree", str(merged)), TreeMachine("petrel", merged)), answer
        )
    os.sync()
    expected = ("failed", "stage two") if "fails" in scenario else ("done", "")
    assert simulated["outcome"][:2] == expected
    for part in simulated:
        assert simulated[part] == real[part], part
