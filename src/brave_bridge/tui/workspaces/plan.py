"""Plan: what will change?"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from brave_bridge.core.formats.text import counted, plain, shortened
from brave_bridge.tui.actions import Action
from brave_bridge.tui.choose_dialog import ChooseAnswer, PolicyList
from brave_bridge.tui.dialogs import ConfirmByName
from brave_bridge.tui.order_dialog import OrderPreferences
from brave_bridge.tui.workspaces.base import Workspace

if TYPE_CHECKING:
    from brave_bridge.core.packages.choices import PlanChoice
    from brave_bridge.core.packages.preferences import Preferences
    from brave_bridge.workbench.desk import Desk
    from brave_bridge.workbench.kept.policies import Policy
    from brave_bridge.workbench.pages.page import Page, Row
    from brave_bridge.workbench.planning.config_preview import ConfigPreview
    from brave_bridge.workbench.planning.plans import Plans
    from brave_bridge.workbench.record import KeptPlan, MachineRecord

_SHOWN = 6


def _is_planned(record: MachineRecord | None) -> bool:
    return record is not None and record.plan is not None


def _has_packages(record: MachineRecord | None) -> bool:
    """Whether the plan is one of packages, about which a person may have wishes."""
    plan = record.plan if record else None
    return plan is not None and any(leg.packages or leg.sources.outcomes for leg in plan.legs)


class PlanWorkspace(Workspace):
    """The change list and the questions answered ahead."""

    KEY, NAME, WORDS = "4", "plan", "Plan"
    ACTIONS = (
        Action("plan", "p", "plan", "Plan the way to the goal", command="plan"),
        Action("cross", "c", "cross", "Cross the planned legs", _is_planned, "cross"),
        Action(
            "preference('protect')",
            "h",
            "hold on to it",
            "Keep the package whatever it costs",
            _has_packages,
        ),
        Action(
            "preference('exclude')",
            "e",
            "leave it alone",
            "Keep the package as it is",
            _has_packages,
        ),
        Action(
            "preference('let_go')",
            "l",
            "let it go",
            "Keep the package no more than any other",
            _has_packages,
        ),
        Action(
            "preference('remove')", "r", "let it be removed", "Remove the package", _has_packages
        ),
        Action(
            "look_at_config",
            "v",
            "three versions",
            "Yours, the old and the new side by side",
            _has_packages,
        ),
        Action(
            "order",
            "o",
            "what counts first",
            "Put the preferences of a plan into another order",
            _has_packages,
        ),
        Action("policy", "k", "as policy", "Keep this answer for every machine", _is_planned),
        Action(
            "policies",
            "K",
            "policies",
            "The answers that hold for every machine",
            command="policies",
        ),
    )
    CHOSEN = {
        "answer": "answer_question",
        "choose": "choose",
        "let_go": "let_go",
        "unpreference": "take_preference_back",
    }
    ENTER = "answer, unfold"

    def page(self, record, harbour) -> Page:
        from brave_bridge.workbench.pages.plan import plan_page
        from brave_bridge.workbench.roles import known_roles

        return plan_page(record, known_roles(), harbour.unfolded(record.name))

    def export(self, desk: Desk, record: MachineRecord, folder: Path) -> list[Path]:
        """See Workspace."""
        from brave_bridge.workbench.papers.plan_export import export_plan

        if record.plan is None:
            return super().export(desk, record, folder)
        return export_plan(record.name, record.plan, folder, record.surveyed)

    def _planned(self) -> tuple[str, KeptPlan] | None:
        """The machine on show and its plan; None, and told, where it has none."""
        record = self.record
        if record is None or record.plan is None:
            self.warn("Plan the way first: p.")
            return None
        return record.name, record.plan

    # Planning and crossing

    def action_plan(self) -> None:
        """Plan the way to the goal; nothing of the machine's sources is touched."""
        record = self.record
        goal = self.app.harbour.goal(record.name) if record else ""
        if record is None or not goal or record.by_own_tools:
            self.warn("Nothing is planned here: there is no leg that we carry out.")
            return
        tell = self.app.doing.busy_with(record.name)
        self.do(record.name, "planning", lambda desk: _plans(desk).make(goal, tell))

    def action_cross(self) -> None:
        """Cross the planned legs, once the person has given the machine's name."""
        record = self.record
        if record is None or record.plan is None:
            self.warn("Plan the way first: p.")
            return
        plan = record.plan

        def begin(agreed: bool | None) -> None:
            if agreed:
                self.set_going(
                    record.name,
                    "beginning to cross",
                    lambda desk: _crossing(desk, plan),
                )

        title = f"Cross to {plan.legs[-1].leg.end.title}"
        self.app.push_screen(ConfirmByName(title, _cost(record, plan), record.name), begin)

    # Answers

    def answer_question(self, row: Row) -> None:
        """Turn a config question's answer round."""
        planned = self._planned()
        if planned is None:
            return
        name, plan = planned
        path = row.of.path
        question = next(q for leg in plan.legs for q in leg.configs.questions if q.path == path)
        other = "theirs" if question.answer == "mine" else "mine"
        self.do(name, "deciding", lambda desk: _plans(desk).answer(plan, path, other))

    def choose(self, row: Row) -> None:
        """Answer a question whose answer changes the plan."""
        planned = self._planned()
        choice = _choice(planned[1], row.of) if planned else None
        if planned is None or choice is None:
            return
        name, plan = planned
        tell = self.app.doing.busy_with(name)

        def decide(answer: str | None) -> None:
            if answer is not None:
                self._plan_again(
                    name, plan, lambda desk: _plans(desk).decide(plan, choice.key, answer, tell)
                )

        self.app.push_screen(ChooseAnswer(choice), decide)

    def action_look_at_config(self) -> None:
        """Look at the three versions of the config file under the cursor."""
        row, planned = self.ledger.pointed, self._planned()
        if planned is None:
            return
        from brave_bridge.workbench.pages.plan_rows import OfQuestion

        if row is None or not isinstance(row.of, OfQuestion):
            self.warn("Point at a config file first.")
            return
        name, plan = planned
        path = row.of.path

        def decide(answer: str | None) -> None:
            if answer:
                self.do(name, "deciding", lambda desk: _plans(desk).answer(plan, path, answer))

        def show(preview: ConfigPreview) -> None:
            from brave_bridge.tui.config_screen import ConfigScreen

            self.app.push_screen(ConfigScreen(preview), decide)

        self.do(name, "reading the packages", lambda desk: _preview(desk, plan, path), show)

    # Preferences

    def take_preference_back(self, row: Row) -> None:
        """Plan again without a preference."""
        self._preference(row.of.kind, row.of.slot)

    def let_go(self, row: Row) -> None:
        """Plan again without insisting on a package."""
        self._preference("let_go", row.of.slot)

    def action_preference(self, kind: str) -> None:
        """Protect, exclude, let go of or remove the package under the cursor, or no longer."""
        from brave_bridge.core.plan.outline import Wish
        from brave_bridge.workbench.pages.plan_rows import OfPackage

        row = self.ledger.pointed
        if row is None or not isinstance(row.of, OfPackage | Wish):
            self.warn("Point at a package first.")
            return
        self._preference(kind, row.of.slot)

    def _preference(self, kind: str, slot: str) -> None:
        planned = self._planned()
        if planned is not None:
            self._plan_under(*planned, planned[1].preferences.toggled(kind, slot))

    def _plan_under(self, name: str, plan: KeptPlan, preferences: Preferences) -> None:
        self._plan_again(name, plan, lambda desk: _plans(desk).under(plan, preferences))

    def _plan_again(self, name: str, plan: KeptPlan, deed: Callable[[Desk], KeptPlan]) -> None:
        self.do(name, "planning again", deed, lambda now: self._tell_difference(plan, now))

    def _tell_difference(self, plan: KeptPlan, now: KeptPlan) -> None:
        lines = [
            line
            for old, new in zip(plan.legs, now.legs, strict=True)
            for line in _difference(old, new)
        ]
        words = "\n".join(shortened(lines, _SHOWN)) or "No package changes otherwise than before."
        title = f"{counted(len(lines), 'difference')} to the plan before"
        self.notify(words.replace("[", "\\["), title=title, timeout=12)

    def action_order(self) -> None:
        """Put what counts into another order, and plan again."""
        planned = self._planned()
        if planned is None:
            return
        name, plan = planned

        def chosen(preferences: Preferences | None) -> None:
            if preferences is not None and preferences != plan.preferences:
                self._plan_under(name, plan, preferences)

        self.app.push_screen(OrderPreferences(plan.preferences), chosen)

    # Policies

    def action_policy(self) -> None:
        """Keep an answer or a preference for every machine, or no longer."""
        from brave_bridge.core.plan.outline import Wish
        from brave_bridge.workbench.pages.plan_rows import OfQuestion

        row, planned = self.ledger.pointed, self._planned()
        if planned is None:
            return
        name, plan = planned
        of = row.of if row is not None else None
        choice = _choice(plan, of)
        if isinstance(of, OfQuestion):
            asked = (q for leg in plan.legs for q in leg.configs.questions)
            answer = next(question.answer for question in asked if question.path == of.path)
            self._keep(name, of.path, lambda desk: _keep_answer(desk, of.path, answer))
        elif isinstance(of, Wish):
            self._keep(name, of.slot, lambda desk: _keep_preference(desk, of.kind, of.slot))
        elif choice is not None and choice.answer != choice.default:
            self._keep(name, choice.key, lambda desk: _keep_choice(desk, choice))
        elif choice is not None:
            self.notify("This is the default: it holds for every machine already.")
        else:
            self.warn("Point at a question or at a preference of yours.")

    def action_policies(self) -> None:
        """The answers and preferences that hold for every machine; one can be let go."""
        name = self.app.harbour.current

        def forget(key: str | None) -> None:
            if key:
                told = key.replace("[", "\\[")
                self.do(
                    name,
                    "letting it go",
                    lambda desk: _forget_policy(desk, key),
                    lambda _: self.notify("It holds no longer.", title=told),
                )

        def show(found: list[Policy]) -> None:
            self.app.push_screen(PolicyList(found), forget)

        self.do(name, "reading the policies", _policies, show)

    def _keep(self, name: str, subject: str, deed: Callable[[Desk], bool]) -> None:
        def tell(kept: bool) -> None:
            words = "every machine from now on" if kept else "this machine only"
            self.notify(f"It holds for {words}.", title=subject.replace("[", "\\["))

        self.do(name, "keeping it", deed, tell)


def _choice(plan: KeptPlan, of: object) -> PlanChoice | None:
    """The question that a row stands for, where it is one."""
    from brave_bridge.workbench.pages.plan_rows import OfChoice

    key = of.key if isinstance(of, OfChoice) else None
    choices = (choice for leg in plan.legs for choice in leg.choices)
    return next((choice for choice in choices if choice.key == key), None)


def _crossing(desk: Desk, plan: KeptPlan) -> str:
    from brave_bridge.workbench.beginning import begin_crossing

    return begin_crossing(desk, plan, unattended=False)


def _plans(desk: Desk) -> Plans:
    from brave_bridge.workbench.planning.plans import Plans

    return Plans(desk)


def _preview(desk: Desk, plan: KeptPlan, path: str) -> ConfigPreview:
    from brave_bridge.workbench.planning.config_preview import preview_config

    return preview_config(desk, plan, path)


def _difference(old, new) -> list[str]:
    from brave_bridge.core.packages.changes import difference

    return list(difference(old.packages, new.packages, "before it"))


def _keep_answer(desk: Desk, path: str, answer: str) -> bool:
    from brave_bridge.workbench.kept.policies import toggle_answer

    return toggle_answer(desk.target.kind, path, answer)


def _keep_choice(desk: Desk, choice: PlanChoice) -> bool:
    from brave_bridge.workbench.kept.policies import toggle_choice

    return toggle_choice(desk.target.kind, choice)


def _policies(desk: Desk) -> list[Policy]:
    from brave_bridge.workbench.kept.policies import listed_policies, read_policies

    return list(listed_policies(read_policies(desk.target.kind)))


def _forget_policy(desk: Desk, key: str) -> None:
    from brave_bridge.workbench.kept.policies import forget_policy

    forget_policy(desk.target.kind, key)


def _keep_preference(desk: Desk, kind: str, slot: str) -> bool:
    from brave_bridge.workbench.kept.policies import toggle_preference

    return toggle_preference(desk.target.kind, kind, slot)


def _cost(record: MachineRecord, plan: KeptPlan) -> list[str]:
    """What a crossing will do, for the confirmation."""
    from brave_bridge.core.plan.amounts import amounts

    lines = []
    for leg in plan.legs:
        lines += [
            f"{leg.leg.start.title} to {leg.leg.end.title}:",
            *(f"   {step.summary}" for step in leg.steps if step.summary),
            f"   {amounts((leg,))}",
        ]
        lines += [f"   would go away: {c.name} ({c.reason})" for c in leg.packages.lost[:4]]
        lines += [f"   ▲ {risk}" for step in leg.other_steps for risk in step.risks]
    lines += _around(record)
    lines += _card(record)
    lines += ["", f"This approves plan {plan.hash}: what differs at crossing time is asked."]
    lines += ["First a way back is made. Until stage one every stop undoes everything."]
    return lines


def _around(record: MachineRecord) -> list[str]:
    """How long it takes, and what is stopped for its time."""
    surveyed = record.surveyed
    if surveyed is None:
        return []
    guests = surveyed.facts.activity.running_guests
    lines = [f"It takes {surveyed.estimate.words}."] if surveyed.estimate else []
    if guests:
        names = ", ".join(plain(guest.name, 30) for guest in guests[:5])
        lines.append(f"Shut down for its time, then started again: {names}")
    return lines


def _card(record: MachineRecord) -> list[str]:
    """Whether there is a recovery card to have at hand."""
    findings = record.surveyed.findings if record.surveyed else ()
    card = next((f for f in findings if f.id == "recovery-card" and f.remedy), None)
    return [f"▲ {card.title}: c in Ways back makes it"] if card else []
