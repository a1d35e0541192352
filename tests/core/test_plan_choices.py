"""What a person decides about a plan: groups, preferences, the hash it is approved by."""

import msgspec
import pytest

from brave_bridge.core.packages.grouping import (
    BASE,
    BY_HAND,
    GONE,
    MATTERS,
    ORDINARY,
    SUCCEEDED,
    group_changes,
)
from brave_bridge.core.packages.levels import DECIDED, FIXED_LAST, LEVELS, STAY, UPGRADED
from brave_bridge.core.packages.preferences import Preferences
from brave_bridge.core.packages.roles import Role
from brave_bridge.core.plan.exchange_steps import EditionStep
from brave_bridge.core.plan.plan_hash import plan_hash
from brave_bridge.core.plan.steps import RestartStep
from brave_bridge.workbench.roles import known_roles
from tests.support.facts import NEW_SOURCES, change, plan


@pytest.mark.parametrize(
    ("package", "role"),
    [
        ("libc6:i386", "C library"),
        ("linux-image-6.1.0-9-amd64", "kernel"),
        ("postgresql-13", "database"),
        ("nginx-core", "web server"),
        ("python3.11", "runtime"),
        ("systemd", "init"),
        ("grub-efi-amd64", "boot loader"),
        ("openssh-server", "remote access"),
        ("quay-tidebase", "database"),
        ("systemd-cron", None),
        ("linux-base", None),
    ],
)
def test_packages_have_the_role_that_they_play(package, role):
    found = known_roles().of(package)
    assert (found.name if isinstance(found, Role) else None) == role


def test_changes_are_grouped_by_what_they_mean():
    made = plan(
        upgraded=(
            change("quay-libc"),
            change("quay-editor", by_hand=True),
            change("libx"),
            change("quay-shell", by_hand=True, base=True),
            change("quay-tidebase", "13", "16", major=True),
        ),
        removed=(
            change("libtls1", "1", ""),
            change("agent", "1", "", by_hand=True),
            change("libtide1", "1", "", successor="libtide1t64"),
        ),
    )
    made = made.packages
    groups = {g.name: [c.name for c in g.changes] for g in group_changes(made, known_roles())}
    assert groups[BY_HAND] == ["quay-editor"]
    assert groups[MATTERS] == ["quay-libc", "quay-tidebase"]
    assert groups[GONE] == ["agent", "libtls1"], "what was asked for comes first"
    assert groups[SUCCEEDED] == ["libtide1"], "it is not lost"
    assert groups[ORDINARY] == ["libx"]
    assert groups[BASE] == ["quay-shell"], "nobody asked for that in particular"
    shown = [c for g in group_changes(made, known_roles()) for c in g.changes]
    assert len(shown) == len(made.upgraded + made.new + made.removed), "nothing twice, nothing lost"


def test_a_package_has_one_preference_at_a_time_and_a_second_press_takes_it_back():
    preferences = Preferences().toggled("protect", "a").toggled("let_go", "a")
    assert (preferences.protect, preferences.let_go) == (frozenset(), {"a"})
    assert preferences.toggled("let_go", "a") == Preferences()


def test_levels_move_among_each_other_and_the_fixed_ones_stay():
    preferences = Preferences().moved(UPGRADED, -9)
    assert preferences.order[:2] == (DECIDED, UPGRADED)
    assert preferences.moved(UPGRADED, 99).order[-len(FIXED_LAST) - 1] == UPGRADED
    assert preferences.moved(DECIDED, 1).order == preferences.order
    assert sorted(Preferences().moved(STAY, -2).order) == sorted(LEVELS)


def test_the_hash_changes_with_all_that_would_be_done_and_with_nothing_else():
    made = plan()
    path = made.configs.questions[0].path
    newer = (*made.packages.upgraded[:1], change("quay-webd", new="3"))
    others = [
        plan(removed=()),
        plan(upgraded=newer),
        made.with_answer(path, "theirs"),
        plan(source_files=(msgspec.structs.replace(NEW_SOURCES, text="deb x y z\n"),)),
        made.with_step(EditionStep(old="Crew", new="Harbour")),
        made.with_step(RestartStep(comes_up="6.6.0-11")),
    ]
    hashes = {plan_hash((other,)) for other in others}
    assert len(hashes) == len(others) and plan_hash((made,)) not in hashes
    assert plan_hash((made, made)) != plan_hash((made,))
    told = change("quay-libc")
    told = msgspec.structs.replace(told, reason="told otherwise")
    same = plan(upgraded=(told, *made.packages.upgraded[1:]), made_at="later")
    assert plan_hash((same,)) == plan_hash((made,))
