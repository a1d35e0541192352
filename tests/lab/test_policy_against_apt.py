"""Pins with apt's own meaning: the candidate of hundreds of packages, as apt-cache tells it."""

import os
import shutil
import subprocess

import pytest

from brave_bridge.core.formats.apt_preferences import read_pins
from brave_bridge.families.deb.archive import DebArchive
from brave_bridge.families.deb.policy import Policy
from brave_bridge.families.deb.system import installed_packages
from tests.support import deb_machines as machines
from tests.support import lab

pytestmark = [pytest.mark.lab, pytest.mark.xdist_group("lab")]

PREFERENCES = {
    "none": "",
    "the old release first": "Package: *\nPin: release n=bullseye\nPin-Priority: 900\n",
    "the new one only on request": "Package: *\nPin: release n=bookworm\nPin-Priority: 1\n",
    "some from the new one": (
        "Package: nginx* libssl1.1 openssh-server\nPin: release a=oldstable\nPin-Priority: 990\n\n"
        "Package: *\nPin: release n=bookworm\nPin-Priority: 100\n"
    ),
    "back to the old one": "Package: *\nPin: release v=11*, l=Debian\nPin-Priority: 1001\n",
    "never": (
        "Package: /^lib[a-m]/\nPin: release n=bookworm\nPin-Priority: -1\n\n"
        "Package: bash coreutils\nPin: release o=Debian\nPin-Priority: -10\n"
    ),
    "a version": "Package: dpkg apt\nPin: version 1.20*\nPin-Priority: 1002\n",
    "by source": "Package: src:systemd src:openssh\nPin: release n=bullseye\nPin-Priority: 950\n",
    "the first that fits": (
        "Package: cron\nPin: release n=bullseye\nPin-Priority: 700\n\n"
        "Package: cron\nPin: release n=bookworm\nPin-Priority: 800\n\n"
        "Package: *\nPin: release o=Debian\nPin-Priority: 300\n\n"
        "Package: *\nPin: release n=bullseye\nPin-Priority: 600\n"
    ),
    "for both but not elsewhere": "Package: *\nPin: origin nowhere.example\nPin-Priority: 999\n",
}


@pytest.fixture(scope="module")
def world(tmp_path_factory):
    if shutil.which("apt-cache") is None or not lab.mirrors():
        pytest.skip("needs apt-cache and a Debian mirror among this machine's own sources")
    folder = tmp_path_factory.mktemp("policy")
    start = machines.AptWorld(folder / "start", "bullseye")
    indices = {release: machines.indices_of(release)[0] for release in ("bullseye", "bookworm")}
    machine = machines.named_machine(
        start, indices["bullseye"], folder / "machine", machines.SMALL, small=True
    )
    return machines.AptWorld(folder / "both", "bullseye", "bookworm"), indices, machine


def apt_says(world, machine, preferences, names) -> dict[str, str]:
    done = subprocess.run(
        [
            "apt-cache",
            "-o",
            f"Dir::State::status={machine.status}",
            "-o",
            f"Dir::Etc::preferences={preferences}",
            "policy",
            *names,
        ],
        capture_output=True,
        text=True,
        check=True,
        timeout=120,
        env={**os.environ, "APT_CONFIG": str(world.config), "LC_ALL": "C"},
    )
    found, name = {}, ""
    for line in done.stdout.splitlines():
        if line.endswith(":") and not line.startswith(" "):
            name = line[:-1]
        elif line.startswith("  Candidate: "):
            found[name] = line.removeprefix("  Candidate: ")
    return found


@pytest.mark.parametrize("which", PREFERENCES)
def test_the_candidate_is_apts(world, which, tmp_path):
    apt, indices, machine = world
    preferences = tmp_path / "preferences"
    preferences.write_text(PREFERENCES[which])
    installed = list(
        installed_packages(machine.status.read_bytes(), machine.marks.read_text(), machines.NATIVE)
    )
    present = {one.package.slot: one.package for one in installed}
    policy = Policy(read_pins(PREFERENCES[which], "preferences"))
    archive = DebArchive(
        [(index, machines.origin_of(release)) for release, index in indices.items()],
        policy,
        (machines.NATIVE,),
        present,
    )
    names = sorted(present) + sorted(indices["bookworm"].names())[::400]
    theirs = apt_says(apt, machine, preferences, names)
    assert len(theirs) > 200
    ours = {name: next((v.version for v in archive.candidates(name)), "(none)") for name in theirs}
    assert ours == theirs
