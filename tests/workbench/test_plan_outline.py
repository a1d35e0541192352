"""What one rendering of a plan tells, all tell: screen, plain text, Markdown and print."""

from collections.abc import Callable, Iterator

import msgspec
import pytest

from brave_bridge.cli.plan_texts import plan_text
from brave_bridge.core.packages.changes import Price, ServiceChange, Skipping
from brave_bridge.core.packages.choices import (
    AT_ONCE,
    GOES,
    LATER,
    OBSOLETE,
    RESTART,
    STAYS,
    TOOL,
    Option,
    PlanChoice,
)
from brave_bridge.core.packages.levels import UPGRADED, LevelResult
from brave_bridge.core.packages.preferences import Preferences
from brave_bridge.core.packages.roles import Roles
from brave_bridge.core.plan import outline as sections
from brave_bridge.core.plan.item_words import words_of
from brave_bridge.core.plan.leg_plan import LegPlan
from brave_bridge.core.plan.outline import outline
from brave_bridge.core.plan.steps import ConfigsStep, RestartStep, SourceOutcome
from brave_bridge.workbench.pages.plan import plan_page
from brave_bridge.workbench.papers.plan_export import plan_lines
from brave_bridge.workbench.papers.printed_plan import printed_plan
from brave_bridge.workbench.record import KeptPlan, MachineRecord
from tests.support import facts

ROLES = Roles(())


def choice(kind: str, subject: str, answer: str, *others: str) -> PlanChoice:
    options = tuple(Option(one, f"{one} it is") for one in (answer, *others))
    return PlanChoice(
        kind=kind, subject=subject, about="?", options=options, answer=answer, default=answer
    )


def test_an_answer_is_said_once_and_a_name_is_never_cut():
    stays, beside = Option(STAYS, "quay stays"), Option(GOES, "quayside goes with it")
    asked = choice(TOOL, "quay", STAYS, GOES)
    asked = msgspec.structs.replace(asked, options=(stays, beside))
    assert words_of(asked).line() == "quay stays: ?"
    gone = msgspec.structs.replace(asked, answer=GOES)
    assert words_of(gone).line() == "quay quayside goes with it: ?"


def full_plan() -> LegPlan:
    """A leg with something in every section."""
    source = SourceOutcome("/s.list", 1, "http://a.example/q", "old", "new", "renamed", "", ("AB",))
    plan = facts.plan(
        unsound=("slack-rope needs a knot",),
        prices=(Price("old-sail", ("quay-sail",), ("old-sail",)),),
        obsolete=("old-lib", "old-net", "nobody-asked"),
        services=(ServiceChange("quay-webd.service", "quay-webd"),),
        skipping=Skipping(sentence="The jump would leave a sail behind."),
        levels=(LevelResult(UPGRADED, 2, True),),
        sources=(source,),
        preferences=Preferences(protect=frozenset({"old-anchor"})),
        choices=(
            choice(TOOL, "quay-mail", STAYS, GOES),
            choice(OBSOLETE, "old-lib", STAYS, GOES),
            choice(OBSOLETE, "old-net", GOES, STAYS),
            choice(RESTART, "quay-webd.service", LATER, AT_ONCE),
        ),
    )
    return plan.with_step(RestartStep(because=("the kernel is another",)))


def on_screen(kept: KeptPlan) -> Iterator[str]:
    for row in plan_page(MachineRecord(name="petrel", about="", words=(), plan=kept), ROLES).rows:
        yield " ".join(row.cells)
        yield from (note.text for note in row.why)


def in_print(kept: KeptPlan) -> Iterator[str]:
    for part in printed_plan("petrel", kept, ROLES, None)[1:]:
        for section in part.sections:
            yield section.heading
            yield from section.lines


RENDERINGS = {
    "screen": on_screen,
    "text": lambda kept: plan_text(kept, everything=True),
    "markdown": lambda kept: plan_lines("petrel", kept, ROLES),
    "print": in_print,
}


@pytest.mark.parametrize("rendering", RENDERINGS.values(), ids=RENDERINGS)
def test_all_that_the_outline_has_is_told(rendering: Callable[[KeptPlan], Iterator[str]]):
    plan = full_plan()
    told = "\n".join(rendering(KeptPlan("7", "a", plan.made_at, (plan,))))
    for section in outline(plan, ROLES):
        for item in section.items:
            assert words_of(item).what.removeprefix("http://") in told, section.kind


def test_a_full_plan_has_every_section_once_and_in_order():
    kinds = [section.kind for section in outline(full_plan(), ROLES)]
    order = [value for name, value in vars(sections).items() if name.isupper() and value in kinds]
    assert list(dict.fromkeys(kinds)) == order and len(order) == 13


def test_what_has_nothing_in_it_is_no_section():
    plan = facts.plan(sources=(), obsolete=(), upgraded=(), new=(), removed=())
    assert outline(plan.with_step(ConfigsStep()), ROLES) == []


def test_a_service_that_runs_and_is_not_asked_about_stops_for_good():
    plan = facts.plan(services=(ServiceChange("old.service", "libtls1"),))
    assert not [s for s in outline(plan, ROLES) if s.kind == sections.RESTARTS]
    found = outline(plan, ROLES, frozenset({"old.service"}))
    restart = next(s for s in found if s.kind == sections.RESTARTS).items[0]
    assert words_of(restart).becomes == "stops for good"
