"""What a running system writes while and after it is put back, told apart from what is wrong."""

import os
import time

from tests.support.trees import TRIAL, catalogue_at


def test_only_what_was_written_after_the_moment_is_left_out(tmp_path):
    snapshots, returning = catalogue_at(tmp_path)
    (tmp_path / "var/log").mkdir()
    for name in ("var/log/old", "var/log/gone", "etc/kept", "etc/lost"):
        (tmp_path / name).write_text("as it was")
    first = snapshots.take("first", TRIAL)
    (tmp_path / "etc/kept").write_text("wrong")
    (tmp_path / "etc/lost").unlink()
    os.utime(tmp_path / "etc", ns=(1, 1))
    time.sleep(0.02)
    moment = time.time_ns()
    time.sleep(0.02)
    (tmp_path / "var/log/old").write_text("as it was, and more")
    (tmp_path / "var/log/new").write_text("rotated")
    (tmp_path / "var/log/gone").unlink()
    found = returning.preview(first, by_content=True)
    left = found.but_written_since(moment)
    assert {d.path for d in left.differences} == {"etc", "etc/kept", "etc/lost"}
    since = {d.path for d in found.differences} - {d.path for d in left.differences}
    assert since == {"var/log", "var/log/old", "var/log/new", "var/log/gone"}


def test_logs_that_are_renamed_are_written_since_and_settings_are_not(tmp_path):
    snapshots, returning = catalogue_at(tmp_path)
    journal = tmp_path / "var/log/journal"
    journal.mkdir(parents=True)
    for name in ("system.journal", "old.1"):
        (journal / name).write_text(f"entries of {name}")
    (tmp_path / "etc/kept").write_text("as it was")
    first = snapshots.take("first", TRIAL)
    time.sleep(0.02)
    moment = time.time_ns()
    time.sleep(0.02)
    # The journal is archived under another name, a log pushed over the one before it: neither is
    # written to, and both keep the time of before.
    (journal / "system.journal").rename(journal / "system@1.journal")
    (journal / "older").write_text("entries of before")
    os.utime(journal / "older", ns=(1, 1))
    (journal / "older").rename(journal / "old.1")
    (tmp_path / "etc/wrong").write_text("not it")
    os.utime(tmp_path / "etc/wrong", ns=(1, 1))
    (tmp_path / "etc/wrong").rename(tmp_path / "etc/kept")
    left = returning.preview(first, by_content=True).but_written_since(moment)
    assert {d.path for d in left.differences} == {"etc/kept"}
