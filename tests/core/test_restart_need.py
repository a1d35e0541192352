"""Whether a restart is needed, from evidence: never from a mark alone, and from no mark at all."""

import msgspec
import pytest

from brave_bridge.core.survey.activity import Activity, StaleProgram
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.platform import Boot, Kernel
from brave_bridge.core.survey.restart_need import can_restart, newest_kernel, restart_reasons
from brave_bridge.workbench.roles import known_roles
from tests.support.facts import facts, package

BOOT = Boot(kernel="5.19.0-4", id="a", booted_at="2026-11-28T08:00:00+00:00")
BEFORE, AFTER = "2026-11-01T00:00:00+00:00", "2026-11-29T09:00:00+00:00"


def running(**changes) -> Facts:
    return msgspec.structs.replace(facts(), **{"boot": BOOT, **changes})


def kernel(version: str, when: str) -> Kernel:
    return Kernel(version, f"/boot/vmlinuz-{version}", 1, installed_at=when)


def words(made: Facts) -> list[str]:
    return [reason.words for reason in restart_reasons(made, known_roles())]


def test_nothing_asks_for_one():
    assert words(running()) == []


@pytest.mark.parametrize(
    ("changes", "said"),
    [
        ({"activity": Activity(restart_wanted=True)}, "the package manager asks for it"),
        (
            {"kernels": (kernel("5.19.0-4", BEFORE), kernel("6.6.0-11", AFTER))},
            "kernel 6.6.0-11 came since the boot",
        ),
        ({"activity": Activity(stale=(StaleProgram(1, "init", "/usr/lib/x.so"),))}, "process 1"),
        (
            {"activity": Activity(stale=(StaleProgram(77, "dbus-daemon", "/usr/lib/x.so"),))},
            "the message bus still uses",
        ),
        (
            {"activity": Activity(stale=(StaleProgram(9, "webd", "/usr/lib/libc.so.6"),))},
            "webd still uses the C library of before",
        ),
        ({"packages": (package("quay-init", installed_at=AFTER),)}, "quay-init (init)"),
        ({"packages": (package("firmware-iwlwifi", installed_at=AFTER),)}, "(firmware)"),
    ],
)
def test_each_kind_of_evidence_is_one(changes, said):
    (found,) = words(running(**changes))
    assert said in found
    assert all(reason.where for reason in restart_reasons(running(**changes), known_roles()))


@pytest.mark.parametrize(
    "changes",
    [
        # Somebody boots an older kernel on purpose: the newer one was there at the boot.
        {"kernels": (kernel("5.19.0-4", BEFORE), kernel("6.6.0-11", BEFORE))},
        {"kernels": (kernel("5.4.0-1", AFTER), kernel("5.19.0-4", BEFORE))},
        {"activity": Activity(stale=(StaleProgram(9, "webd", "/usr/lib/libtide.so"),))},
        {"packages": (package("quay-webd", installed_at=AFTER),)},
        {"packages": (package("quay-init", installed_at=BEFORE),)},
        {"kind": "tree", "activity": Activity(restart_wanted=True)},
    ],
)
def test_what_needs_none(changes):
    assert words(running(**changes)) == []


def test_who_can_be_restarted():
    assert can_restart(facts()) and newest_kernel(facts()).version == "5.19.0-4"
    bare = msgspec.structs.replace(facts(), kernels=(), activity=Activity())
    assert not can_restart(bare) and newest_kernel(bare) is None
    by_init = {name: Boot(first_process=name) for name in ("init", "openrc-init", "sleep")}
    able = {n for n, b in by_init.items() if can_restart(msgspec.structs.replace(bare, boot=b))}
    assert able == {"init", "openrc-init"}
