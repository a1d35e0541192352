"""Programs that run scripts of a machine's own: found, told before they go, missed in the proof."""

import msgspec
import pytest

from brave_bridge.core.formats.shebang import interpreter_of
from brave_bridge.core.packages.changes import PackageChanges
from brave_bridge.core.proof.compare import prove
from brave_bridge.core.proof.difference import REGRESSION
from brave_bridge.core.survey.findings import Situation, Verdict
from brave_bridge.core.survey.interpreter import Interpreter
from brave_bridge.core.survey.rules.script_interpreters import script_interpreters
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.families.topics.interpreters import further, read
from brave_bridge.machines.queries import Found, Seen
from tests.core.test_rules import TODAY
from tests.support.facts import change, facts, plan

LANG = Interpreter("/usr/bin/lamp2.7", "/usr/bin/lamp2.7", ("/usr/local/bin/tides",))


@pytest.mark.parametrize(
    ("head", "name"),
    [
        (b"#!/bin/sh\n", "/bin/sh"),
        (b"#! /usr/bin/perl -w\nuse strict;", "/usr/bin/perl"),
        (b"#!/usr/bin/env python2\n", "python2"),
        (b"#!/usr/bin/env -S LANG=C python3 -u\n", "python3"),
        (b"#!\n", ""),
        (b"#!/usr/bin/env\n", ""),
        (b"\x7fELF#!/bin/sh", ""),
        (b"#!/bin/\xff\x1b[2J\n", "/bin/\ufffd\x1b[2J"),
    ],
)
def test_what_runs_a_script_is_in_its_first_line(head, name):
    assert interpreter_of(head) == name


def test_programs_are_looked_for_where_a_script_would_find_them():
    seen = Seen(
        contents={
            "/usr/local/bin/tides": b"#!/usr/bin/env lamp2.7\n",
            "/etc/cron.daily/gauge": b"#!/bin/sh\n",
            "/usr/local/bin/wild": b"#!/usr/bin/*\n",
            "/usr/local/bin/data": b"\x7fELF",
            "/etc/hostname": b"#!/bin/none\n",
        },
        found={"/usr/bin/lamp2.7": Found("/usr/bin/lamp2.7", "file", 1)},
    )
    (names,) = further(seen)
    assert "/usr/bin/lamp2.7" in names.patterns and "/bin/sh" in names.patterns
    assert not any("*" in path for path in names.patterns)
    told = {one.name: one for one in read(seen)}
    assert told["lamp2.7"].path == "/usr/bin/lamp2.7" and told["/bin/sh"].path == ""
    assert told["lamp2.7"].users == ("/usr/local/bin/tides",) and "/bin/none" not in told


@pytest.mark.parametrize("package", ["lamp2.7", "lamp2.7-minimal", "lamp2.7-cli"])
def test_one_that_the_plan_takes_away_is_told_with_its_scripts(package):
    changes = PackageChanges(removed=(change(package, new=""),))
    leg = plan().with_packages(changes)
    situation = Situation(facts=facts(interpreters=(LANG,)), today=TODAY, plan=leg)
    (found,) = script_interpreters.findings(situation)
    assert found.verdict is Verdict.CAUTION and "lamp2.7 goes away" in found.title
    assert "/usr/local/bin/tides" in found.evidence and package in found.remedy


def test_scripts_that_packages_bring_are_theirs():
    brought = facts().installed[0]
    brought = msgspec.structs.replace(brought, conffiles={"/usr/local/bin/tides": "0" * 32})
    here = facts(interpreters=(LANG,), packages=(brought,))
    assert not list(here.own_interpreters)


def test_one_that_is_gone_is_worse():
    before = facts(topics=(TopicSeen("interpreters", {"/usr/bin/lamp2.7": "/opt/t/bin/x"}, "x"),))
    after = facts(topics=(TopicSeen("interpreters", {}, "x"),))
    worse = [one for one in prove(before, after, (plan(),)).differences if one.topic]
    assert [(one.subject, one.verdict) for one in worse] == [("/usr/bin/lamp2.7", REGRESSION)]
    assert "/opt/t/bin/x" in worse[0].meaning
