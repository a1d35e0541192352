"""Plans for machines made up at random of a real release, judged by apt itself.

Bigger runs of the same: ``python -m bench.quality``.
"""

import shutil

import pytest
from bench.quality import judge

from tests.support import deb_machines as machines
from tests.support import lab

pytestmark = [pytest.mark.lab, pytest.mark.xdist_group("lab")]


@pytest.fixture(scope="module")
def worlds(tmp_path_factory):
    if shutil.which("apt-get") is None or not lab.mirrors():
        pytest.skip("needs apt-get and a Debian mirror among this machine's own sources")
    folder = tmp_path_factory.mktemp("worlds")
    return machines.Worlds(folder)


@pytest.fixture(scope="module")
def two_architectures(tmp_path_factory):
    folder = tmp_path_factory.mktemp("two-architectures")
    return machines.Worlds(folder, (machines.NATIVE, machines.FOREIGN))


@pytest.mark.parametrize(("size", "seed"), [(220, 11), (900, 14)])
@pytest.mark.parametrize("release", ["bookworm", "trixie"])
def test_apt_plans_exactly_what_we_planned(worlds, release, size, seed):
    machine = worlds.machine(size, seed)
    judged = judge(machine, worlds.of(release), release, explain=True)
    assert judged.faults == []
    assert judged.apt_differs == []
    assert judged.hand_installed_lost == []
    assert judged.wrong_reasons == []
    assert judged.unproven == []


@pytest.mark.parametrize("release", ["bookworm", "trixie"])
def test_libraries_of_another_architecture_are_planned_as_apt_has_them(two_architectures, release):
    two = two_architectures
    machine = two.machine(500, 2, spoilt=True)
    judged = judge(machine, two.of(release), release, explain=True)
    assert sum(slot.endswith(machines.FOREIGN) for slot in judged.plan.before) > 20
    assert (judged.faults, judged.apt_differs, judged.wrong_reasons) == ([], [], [])
    assert judged.hand_installed_lost == []


def test_the_second_leg_starts_where_the_first_ends(worlds):
    machine = worlds.machine(220, 11)
    judged = judge(machine, worlds.of("bookworm"), "bookworm")
    after = machines.after(machine, judged.plan, "bookworm")
    second = judge(after, worlds.of("trixie"), "trixie", explain=True)
    assert (second.faults, second.apt_differs, second.wrong_reasons) == ([], [], [])
