"""Questions whose answers change a plan, on stand-ins: decided, planned anew, crossed."""

import pytest

from brave_bridge.cli.plan_texts import plan_text
from brave_bridge.core.packages.choices import CHANNEL, OBSOLETE, RESTART, SOURCE, TOOL
from brave_bridge.runner.briefs import CrossBrief
from brave_bridge.workbench.kept.policies import (
    forget_policy,
    listed_policies,
    read_policies,
    toggle_choice,
)
from brave_bridge.workbench.planning.plans import Plans
from brave_bridge.workbench.refusal import Refused
from tests.standin.test_restarts import anew
from tests.support.runs import begin, carry_out, outcome_of

MAKER = "http://packages.estuary.example/instruments bowline-5.3"


@pytest.fixture(autouse=True)
def own_state(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))


def choice_of(plan, kind: str, subject: str = ""):
    choices = plan.legs[0].choices
    return next(c for c in choices if c.kind == kind and subject in ("", c.subject))


def names(changes) -> set[str]:
    return {change.name for change in changes}


def crossed(desk, plan) -> dict[str, str]:
    """Cross a plan; the versions that are installed afterwards."""
    begin(desk, CrossBrief("deb", plan.legs))
    carry_out(desk.machine.root, desk.machine.name, "trial")
    outcome = outcome_of(desk.machine.root, desk.machine.name, "trial")
    assert outcome.state == "done", outcome.why
    return {package.name: package.version for package in desk.facts().installed}


def test_the_makers_other_suite_keeps_its_agent_and_a_tool_gives_way(stand_in):
    desk = stand_in("petrel")
    plan = Plans(desk).make("7")
    assert "estuary-agent" in names(plan.legs[0].packages.removed)
    source = choice_of(plan, SOURCE)
    assert (source.subject, source.answer) == (MAKER, "pause")
    plan = Plans(desk).answer(plan, "/etc/quay-webd/webd.conf", "theirs")
    plan = Plans(desk).decide(plan, source.key, "suite stable")
    assert "estuary-agent" in names(plan.legs[0].packages.upgraded)
    (webd,) = (q for q in plan.legs[0].configs.questions if "webd" in q.path)
    assert (webd.answer, webd.by) == ("theirs", "person"), "fetching anew forgets no answer"
    plan = Plans(desk).decide(plan, choice_of(plan, TOOL).key, "goes")
    assert "quay-mail" in names(plan.legs[0].packages.removed) and "quay-post" in names(
        plan.legs[0].packages.new
    )
    plan = Plans(desk).decide(plan, choice_of(plan, OBSOLETE, "libtls1").key, "goes")
    assert Plans(desk).make("7").hash == plan.hash, "planned anew, every answer still holds"
    after = crossed(desk, plan)
    assert after["estuary-agent"] == "3.1-1" and after["quay-post"] == "1.4-1"
    assert not {"quay-mail", "libtls1"} & after.keys()
    assert (
        "Package: quay-post\n"
        not in desk.machine.files.read("/var/lib/apt/extended_states", 100_000).decode()
    ), "what a person asked for is theirs"
    assert (
        " stable main"
        in desk.machine.files.read("/etc/apt/sources.list.d/estuary.list", 10_000).decode()
    )


def test_a_kind_of_a_component_brings_its_own_versions(stand_in):
    desk = stand_in("avocet")
    status = desk.machine.files.read("/var/lib/dpkg/status", 1_000_000)
    desk.machine.files.write("/var/lib/dpkg/status", status.replace(b"hold ok", b"install ok"))
    plan = Plans(desk).make("7")
    channel = choice_of(plan, CHANNEL)
    usual = next(c for c in plan.legs[0].packages.upgraded if c.name == "quay-guests")
    assert (channel.answer, usual.new) == ("guests", "9.0-2")
    plan = Plans(desk).decide(plan, channel.key, "guests-next")
    newer = next(c for c in plan.legs[0].packages.upgraded if c.name == "quay-guests")
    assert newer.new == "9.3-1"
    turned = "".join(file.text for file in plan.legs[0].sources.files)
    assert "Components: main guests-next\n" in turned


def test_the_package_of_the_running_kernel_is_not_to_go(stand_in):
    desk = stand_in("petrel")
    plan = Plans(desk).make("7")
    kernel = choice_of(plan, OBSOLETE, "quay-linux-image-5.19.0-4")
    assert [option.answer for option in kernel.options] == ["stays"]
    with pytest.raises(Refused, match="goes is no answer"):
        Plans(desk).decide(plan, kernel.key, "goes")
    with pytest.raises(Refused, match="asks nothing about tool rope"):
        Plans(desk).decide(plan, "tool rope", "goes")


def test_what_was_decided_once_can_hold_for_every_machine_and_be_let_go_again(stand_in):
    desk, other = stand_in("petrel"), stand_in("gannet")
    plan = Plans(desk).decide(Plans(desk).make("7"), "tool quay-mail", "goes")
    plan = Plans(desk).decide(plan, f"source {MAKER}", "drop")
    plan = Plans(desk).decide(plan, "restart quay-webd.service", "later")
    for kind in (TOOL, SOURCE):
        assert toggle_choice("demo", choice_of(plan, kind))
    assert not toggle_choice("demo", choice_of(plan, SOURCE)), "a second time takes it back"
    assert toggle_choice("demo", choice_of(plan, SOURCE))
    assert toggle_choice("demo", choice_of(plan, RESTART, "quay-webd.service"))
    listed = {policy.key: policy.words for policy in listed_policies(read_policies("demo"))}
    assert listed == {
        "remove quay-mail": "goes away",
        "add quay-post": "comes",
        f"source {MAKER}": "is dropped",
        "restart quay-webd.service": "restarts when a leg is done",
    }
    assert "quay-mail" in names(
        Plans(other).make("7").legs[-1].packages.removed
        + Plans(other).make("7").legs[0].packages.removed
    )
    for key in listed:
        forget_policy("demo", key)
    assert not list(listed_policies(read_policies("demo")))


def test_what_a_pin_keeps_is_in_the_plan_with_its_file_and_line(stand_in):
    desk = stand_in("petrel")
    upgraded = {change.name: change for change in Plans(desk).make("7").legs[0].packages.upgraded}
    old = upgraded["quay-ssh"].old
    pin = f"# Ours.\n\nPackage: quay-ssh\nPin: version {old}\nPin-Priority: 1001\n"
    desk.machine.files.write("/etc/apt/preferences.d/ssh", pin.encode())
    kept = Plans(anew(desk)).make("7")
    (pinned,) = kept.legs[0].packages.pinned
    assert (pinned.name, pinned.old, pinned.new) == ("quay-ssh", old, upgraded["quay-ssh"].new)
    where = "/etc/apt/preferences.d/ssh:4"
    assert pinned.reason == f"pinned to version {old} (priority 1001) in {where}"
    told = "\n".join(plan_text(kept))
    assert "1 package that a pin keeps as they are" in told and where in told
