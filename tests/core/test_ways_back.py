"""Retention, losses, deadlines, accounts, boot entries and the recovery card: pure rules."""

from datetime import date, datetime, timedelta

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brave_bridge.core.ways_back.accounts import account_changes
from brave_bridge.core.ways_back.deadline import days_left, left_words
from brave_bridge.core.ways_back.difference_tree import Changed, difference_tree
from brave_bridge.core.ways_back.losses import Group, Touched, losses
from brave_bridge.core.ways_back.recovery_card import (
    CardFacts,
    CardKernel,
    CardPart,
    card_text,
    fingerprint,
    make_card,
)
from brave_bridge.core.ways_back.retention import Candidate, Retention, fates, later
from brave_bridge.workbench.ways.return_preview import _groups

NOW = "2026-11-25T12:00:00+00:00"


def taken(days_ago: float, **more) -> Candidate:
    moment = datetime.fromisoformat(NOW) - timedelta(days=days_ago)
    return Candidate(id=f"d{days_ago}", created=moment.isoformat(timespec="seconds"), **more)


def fate_of(*candidates: Candidate, free: float = 100.0, **rules) -> dict[str, tuple[bool, str]]:
    return {f.id: (f.goes, f.why) for f in fates(candidates, Retention(**rules), NOW, free)}


def test_the_newest_stay_and_older_ones_go():
    found = fate_of(*(taken(n) for n in range(5)), keep=2)
    assert [found[f"d{n}"][0] for n in range(5)] == [False, False, True, True, True]
    assert found["d4"][1] == "more than 2 newer ones are there"


def test_by_itself_three_stay_and_that_of_a_crossing_two_weeks_behind_its_proof():
    found = fate_of(*(taken(n) for n in range(5)))
    assert [found[f"d{n}"][0] for n in range(5)] == [False, False, False, True, True]
    assert not any(goes for goes, _ in fate_of(*(taken(n) for n in range(3)), free=0.5).values())
    old, newer = taken(40, last_crossing=True), [taken(n) for n in range(3)]
    for days, goes in ((13, False), (14, True)):
        proved = datetime.fromisoformat(NOW) - timedelta(days=days)
        behind = msgspec.structs.replace(old, proved=proved.isoformat(timespec="seconds"))
        assert fate_of(*newer, behind)["d40"][0] is goes, days


def test_the_way_back_of_the_last_crossing_stays_until_days_after_its_proof():
    old = taken(40, last_crossing=True)
    newer = [taken(n) for n in range(3)]
    assert fate_of(*newer, old, keep=1)["d40"] == (
        False,
        "the newest crossing is not proved for the last time yet",
    )
    proved = msgspec.structs.replace(old, proved="2026-11-20T00:00:00+00:00")
    goes, why = fate_of(*newer, proved, keep=1)["d40"]
    assert not goes and "2026-12-04" in why
    assert fate_of(*newer, proved, keep=1, days_after_proof=3)["d40"][0]


def test_deadlines_and_room_let_even_new_ones_go_but_pins_hold():
    ended = taken(1, deadline="2026-11-24T00:00:00+00:00")
    pinned = taken(2, deadline="2026-11-24T00:00:00+00:00", pinned=True)
    found = fate_of(ended, pinned, taken(3))
    assert found["d1"] == (True, "its deadline was 2026-11-24")
    assert not found["d2"][0] and not found["d3"][0]
    short = fate_of(taken(1), taken(2), taken(3), free=4.0, least_free_percent=5)
    assert [short[f"d{n}"][0] for n in (1, 2, 3)] == [False, True, True]
    assert short["d1"][1] == "it is the only way back"


@given(
    st.lists(
        st.builds(
            Candidate,
            id=st.uuids().map(str),
            created=st.integers(0, 400).map(lambda d: later(NOW, -d)),
            pinned=st.booleans(),
            held=st.sampled_from(["", "damaged"]),
            last_crossing=st.booleans(),
            deadline=st.sampled_from(
                ["", "2026-11-01T00:00:00+00:00", "2027-01-01T00:00:00+00:00"]
            ),
            proved=st.sampled_from(["", "2026-01-01T00:00:00+00:00"]),
        ),
        max_size=8,
    ),
    st.integers(0, 5),
    st.sampled_from([0, 10]),
)
def test_no_rule_ever_takes_a_pinned_or_the_last_whole_one(candidates, keep, least):
    rules = Retention(keep=keep, least_free_percent=least)
    found = {fate.id: fate for fate in fates(candidates, rules, NOW, 5.0)}
    assert found.keys() == {c.id for c in candidates} and all(f.why for f in found.values())
    assert not any(found[c.id].goes for c in candidates if c.pinned)
    whole = [c for c in candidates if not c.held]
    assert not any(found[c.id].goes for c in candidates if c.held)
    assert not whole or not all(found[c.id].goes for c in whole)


def test_the_order_of_taking_counts_and_not_the_clock():
    before = [taken(n, number=4 - n) for n in range(3)]
    with_the_clock_set_back = taken(900, number=5)
    found = fate_of(*before, with_the_clock_set_back, keep=2)
    assert [name for name, (goes, _) in found.items() if goes] == ["d2", "d1"]


def test_what_is_damaged_stays_and_counts_neither_as_newer_nor_as_older():
    whole, damaged = [taken(n) for n in (3, 4, 5)], [taken(n, held="damaged") for n in (0, 1, 9)]
    found = fate_of(*whole, *damaged, keep=2, least_free_percent=50, free=40.0)
    assert found["d9"] == (False, "damaged") and not found["d3"][0]
    assert not any(fate_of(*whole, *damaged, keep=3)[f"d{n}"][0] for n in (3, 4, 5))


def test_losses_are_grouped_by_what_they_mean():
    paths = {
        "var/lib/postgresql/15/main/base": "databases",
        "var/lib/quay-tidebase/levels.db": "databases",
        "var/lib/thing/own.sqlite3": "databases",
        "var/spool/mail/watch": "mail and queues",
        "srv/tides/october.csv": "served files",
        "etc/shadow": "keys and accounts",
        "etc/quay-webd/webd.conf": "settings",
        "root/notes": "the administrator's own files",
        "boot/vmlinuz-6.1": "boot",
        "usr/lib/modules/6.1/gauge.ko": "boot",
        "var/lib/dpkg/status": "package database",
        "var/log/dpkg.log": "logs",
        "usr/bin/tide": "programs",
        "var/lib/other/state": "what services keep",
        "odd/place": "other files",
    }
    touched = [Touched(path, path.startswith("srv"), 10, "2026-11-24T00:00:00") for path in paths]
    found = losses(touched, _groups())
    by_path = {path: loss.name for loss in found for path in loss.examples}
    assert by_path == {p: name for p, name in paths.items() if p in by_path}
    assert {loss.name for loss in found} == set(paths.values())
    assert [loss.grave for loss in found] == sorted((loss.grave for loss in found), reverse=True)
    databases = found[0]
    assert (databases.name, databases.changed, databases.size) == ("databases", 3, 30)
    assert losses([Touched("etc", True, 0, "", folder=True)], _groups()) == []
    assert losses([Touched("x", True, 1, "")], (Group("all", "", True, ("*",)),))[0].came == 1


def test_a_difference_tree_counts_and_sums_upwards():
    top = difference_tree(
        [
            Changed("etc/a", "changed", 10, 25),
            Changed("etc/deep/b", "came", 0, 5),
            Changed("etc/deep", "came", folder=True),
            Changed("c", "gone", 7, 0),
        ]
    )
    assert (top.count, top.growth) == (4, 13)
    etc, gone = top.ordered()
    assert (etc.name, etc.how, etc.count, etc.growth) == ("etc", "", 3, 20)
    assert etc.inner["deep"].how == "came" and gone.how == "gone"


def test_days_left_in_words():
    today = date(2026, 11, 25)
    words = {
        d: left_words(days_left(d, today))
        for d in ("", "2026-11-23", "2026-11-25", "2026-11-26", "2026-12-09")
    }
    assert list(words.values()) == ["", "ended 2 d ago", "ends today", "1 day left", "14 days left"]


def test_accounts_are_named_and_their_secrets_are_not():
    then = "root:$y$a:1:::::\nwatch:$y$b:1:::::\nold:!:1::::::\nbroken line\n"
    now = "root:$y$a:9:::::\nwatch:$y$c:1:::::\nnew:*:1::::::\n"
    found = account_changes(then, now)
    assert (found.passwords, found.new, found.removed) == (("watch",), ("new",), ("old",))
    assert "$y$" not in str(found)


COPIED = {"kept": "by copy", "by_rescue_tool": True}


def card(**changes) -> CardFacts:
    known = {
        "machine": "petrel",
        "made_at": NOW,
        "release": "Quayside 5.3",
        "firmware": "efi",
        "loader": "GRUB",
        "boot_menu": "Press Esc once: the menu comes.",
        "boot_entry": "Quayside, with Linux 5.19.0-4",
        "kernels": (CardKernel("5.19.0-4", True), CardKernel("6.1.0-9", False)),
        "parts": (
            CardPart(mount="/", device="/dev/sda2", uuid="1-2", type="ext4", **COPIED),
            CardPart(mount="/boot/efi", device="/dev/sda1", uuid="A", type="vfat", **COPIED),
            CardPart(mount="/srv/pool", device="/dev/md0", type="xfs"),
        ),
        "way_back": "s-1",
        "way_back_made": NOW,
        "way_back_release": "Quayside 5.3",
        "checksum": "ab" * 32,
        "by_hand": ("rsync -aHAX --delete /mnt/kept/ /mnt/",),
    }
    return CardFacts(**{**known, **changes})


def test_a_card_says_what_to_type_in_its_order():
    made = make_card(card())
    text = card_text(made)
    steps = [words for step in made.steps for words in (step.words, *step.commands)]
    wanted = (
        "Esc once",
        "Quayside, with Linux 5.19.0-4",
        "mount UUID=1-2 /mnt",
        "brave-bridge --tree /mnt return s-1",
        "rsync -aHAX --delete",
        "reboot",
    )
    for word in wanted:
        assert any(word in step for step in steps), word
        assert word in text
    order = [text.index(w) for w in ("UUID=1-2 /mnt", "UUID=A /mnt/boot/efi", "--tree /mnt")]
    assert order == sorted(order)
    assert "mount /dev/md0" not in text and "abababab" in text and "5.19.0-4" in text
    assert made.code.splitlines()[-1] == "brave-bridge --tree /mnt return s-1"


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        (
            {
                "parts": (
                    CardPart(
                        mount="/",
                        device="/dev/sda2",
                        uuid="9",
                        type="btrfs",
                        subvolume="/@",
                        kept="by btrfs",
                    ),
                )
            },
            ("mount -o subvol=/@ UUID=9 /mnt",),
        ),
        (
            {
                "parts": (
                    CardPart(mount="/", device="/dev/mapper/vg-root", type="xfs", kept="by LVM"),
                )
            },
            ("vgchange -ay", "mount /dev/mapper/vg-root /mnt"),
        ),
        (
            {"parts": (CardPart(mount="/", device="tank/root", type="zfs", kept="by ZFS"),)},
            ("zpool import -f -R /mnt -a",),
        ),
        ({"way_back": "", "way_back_made": ""}, ("return newest",)),
    ],
)
def test_every_layout_has_its_own_commands(changes, words):
    text = card_text(make_card(card(**changes)))
    for word in words:
        assert word in text


def test_a_card_is_stale_when_anything_but_its_time_changed():
    known = fingerprint(card())
    assert fingerprint(card(made_at="2027-01-01T00:00:00+00:00")) == known
    assert fingerprint(card(way_back="s-2")) != known
    assert fingerprint(card(kernels=(CardKernel("6.6", True),))) != known
