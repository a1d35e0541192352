"""The deeds of the Plan workspace: plan, answer, wish, keep as policy."""

from __future__ import annotations

from typing import TYPE_CHECKING

from brave_bridge.core.formats.text import counted, shortened
from brave_bridge.tui.choose_dialog import ChooseAnswer, PolicyList
from brave_bridge.tui.dialogs import Confirm
from brave_bridge.tui.order_dialog import OrderWishes

if TYPE_CHECKING:
    from brave_bridge.core.packages.choices import PlanChoice
    from brave_bridge.core.packages.wishes import PersonsWishes
    from brave_bridge.workbench.desk import Desk
    from brave_bridge.workbench.pages.page import Row
    from brave_bridge.workbench.plans import Plans
    from brave_bridge.workbench.policies import Policy
    from brave_bridge.workbench.record import KeptPlan

_SHOWN = 6


class PlanDeeds:
    """Mixed into the application. Expects ``harbour``, ``_do``, ``show_current``, ``place``."""

    def action_plan(self) -> None:
        """Plan the way to the goal; nothing of the machine's sources is touched."""
        goal = self.harbour.goal(self.harbour.current)
        record = self.harbour.record()
        if not goal or (record and record.waits_for):
            self.notify("There is nothing to plan here yet.", severity="warning")
            return
        self.place = "plan"
        self._do("planning", lambda desk: _plans(desk).make(goal, self._tell_step))

    def _tell_step(self, title: str) -> None:
        self.call_from_thread(self.tell_busy, f"{self.harbour.current}: {title} …")

    @property
    def _plan(self) -> KeptPlan | None:
        record = self.harbour.record()
        return record.plan if record else None

    def _pointed(self) -> Row | None:
        return self.workspace.ledger.pointed if self.place == "plan" else None

    def toggle_task(self, key: str) -> None:
        """Say that a task of a leg is done, or not yet."""
        task = key.removeprefix("task:")
        self._do("noting it", lambda desk: _toggle_task(desk, task))

    def action_track(self) -> None:
        """Change which releases the machine is offered, once its consequence was shown."""
        record = self.harbour.record()
        track = record.track if record else None
        if track is None:
            return

        def change(agreed: bool | None) -> None:
            if agreed:
                wanted = not track.long_term_only
                self._do("changing the track", lambda desk: _keep_track(desk, wanted))

        other = "every release" if track.long_term_only else "long-term releases alone"
        self.push_screen(Confirm(f"{record.name}: offer {other}?", [track.other]), change)

    def take_way(self, key: str) -> None:
        """Make the end of a way the goal, and go there by the shortest or by the safest one."""
        _, kind, release = key.split(":", 2)
        self.harbour.set_goal(self.harbour.current, release)
        self._do("taking the way", lambda desk: _keep_way(desk, kind == "safest"))

    def toggle_fold(self, key: str) -> None:
        """Show or hide what is behind a fold."""
        self.harbour.toggle_fold(key)
        self.show_current()

    def answer_question(self, key: str) -> None:
        """Turn a config question's answer round."""
        plan, path = self._plan, key.removeprefix("question:")
        if plan is None:
            return
        question = next(q for leg in plan.legs for q in leg.questions if q.path == path)
        other = "theirs" if question.answer == "mine" else "mine"
        self._do("deciding", lambda desk: _plans(desk).answer(plan, path, other))

    def choose(self, key: str) -> None:
        """Answer a question whose answer changes the plan."""
        plan, row = self._plan, self._pointed()
        choice = self._choice(row.subject) if row else None
        if plan is None or choice is None:
            return

        def decide(answer: str | None) -> None:
            if answer is not None:
                self._do(
                    "planning again",
                    lambda desk: _plans(desk).decide(plan, choice.key, answer, self._tell_step),
                    lambda now: self._tell_difference(plan, now),
                )

        self.push_screen(ChooseAnswer(choice), decide)

    def _choice(self, key: str) -> PlanChoice | None:
        choices = (c for leg in (self._plan.legs if self._plan else ()) for c in leg.choices)
        return next((choice for choice in choices if choice.key == key), None)

    def action_look_at_config(self) -> None:
        """Look at the three versions of the config file under the cursor."""
        row, plan = self._pointed(), self._plan
        if row is None or plan is None or not row.key.startswith("question:"):
            self.notify("Point at a config file first.", severity="warning")
            return
        path = row.subject

        def decide(answer: str | None) -> None:
            if answer:
                self._do("deciding", lambda desk: _plans(desk).answer(plan, path, answer))

        def show(preview) -> None:
            from brave_bridge.tui.config_screen import ConfigScreen

            self.push_screen(ConfigScreen(preview), decide)

        self._do("reading the packages", lambda desk: _preview(desk, plan, path), show)

    def take_wish_back(self, key: str) -> None:
        """Plan again without a wish."""
        _, kind, slot = key.split(":", 2)
        self._wish(kind, slot)

    def let_go(self, key: str) -> None:
        """Plan again without insisting on a package."""
        self._wish("let_go", key.split(":", 2)[2])

    def action_wish(self, kind: str) -> None:
        """Protect, exclude or let go of the package under the cursor, or no longer."""
        row = self._pointed()
        if row is None or not row.key.startswith(("package:", "price:", "wish:")):
            self.notify("Point at a package first.", severity="warning")
            return
        self._wish(kind, row.subject)

    def _wish(self, kind: str, slot: str) -> None:
        plan = self._plan
        if plan is not None:
            self._plan_under(plan.wishes.toggled(kind, slot))

    def _plan_under(self, wishes: PersonsWishes) -> None:
        plan = self._plan
        self._do(
            "planning again",
            lambda desk: _plans(desk).under(plan, wishes),
            lambda now: self._tell_difference(plan, now),
        )

    def _tell_difference(self, plan: KeptPlan, now: KeptPlan) -> None:
        lines = [line for old, new in zip(plan.legs, now.legs, strict=True)
                 for line in _difference(old, new)]  # fmt: skip
        words = "\n".join(shortened(lines, _SHOWN)) or "No package changes otherwise than before."
        title = f"{counted(len(lines), 'difference')} to the plan before"
        self.notify(words.replace("[", "\\["), title=title, timeout=12)

    def action_order(self) -> None:
        """Put what counts into another order, and plan again."""
        plan = self._plan
        if plan is None:
            return

        def chosen(wishes: PersonsWishes | None) -> None:
            if wishes is not None and wishes != plan.wishes:
                self._plan_under(wishes)

        self.push_screen(OrderWishes(plan.wishes), chosen)

    def action_policy(self) -> None:
        """Keep an answer or a wish for every machine, or no longer."""
        row, plan = self._pointed(), self._plan
        if row is None or plan is None:
            return
        if row.key.startswith("question:"):
            question = next(q for leg in plan.legs for q in leg.questions if q.path == row.subject)
            answer = question.answer
            self._keep(row.subject, lambda desk: _keep_answer(desk, row.subject, answer))
        elif row.key.startswith("wish:"):
            kind = row.key.split(":", 2)[1]
            self._keep(row.subject, lambda desk: _keep_wish(desk, kind, row.subject))
        elif (choice := self._choice(row.subject)) is not None:
            if choice.answer == choice.default:
                self.notify("This is the default: it holds for every machine already.")
            else:
                self._keep(row.subject, lambda desk: _keep_choice(desk, choice))
        else:
            self.notify("Point at a question or at a wish of yours.", severity="warning")

    def action_policies(self) -> None:
        """The answers and wishes that hold for every machine; one can be let go."""

        def forget(key: str | None) -> None:
            if key:
                told = key.replace("[", "\\[")
                self._do("letting it go", lambda desk: _forget_policy(desk, key),
                         lambda _: self.notify("It holds no longer.", title=told))  # fmt: skip

        self._do("reading the policies", _policies,
                 lambda found: self.push_screen(PolicyList(found), forget))  # fmt: skip

    def _keep(self, subject: str, deed) -> None:
        def tell(kept: bool) -> None:
            words = "every machine from now on" if kept else "this machine only"
            self.notify(f"It holds for {words}.", title=subject.replace("[", "\\["))

        self._do("keeping it", deed, tell)


def _plans(desk: Desk) -> Plans:
    from brave_bridge.workbench.plans import Plans

    return Plans(desk)


def _toggle_task(desk: Desk, task: str) -> None:
    from brave_bridge.workbench.keeping import toggle_task

    desk.must_read_records()
    toggle_task(desk.machine, task)


def _keep_way(desk: Desk, safest: bool) -> None:
    from brave_bridge.workbench.keeping import keep_way

    desk.must_read_records()
    keep_way(desk.machine, safest=safest)


def _keep_track(desk: Desk, long_term_only: bool) -> None:
    from brave_bridge.workbench.keeping import keep_track

    desk.must_read_records()
    keep_track(desk.machine, long_term_only)


def _preview(desk: Desk, plan: KeptPlan, path: str):
    from brave_bridge.workbench.config_preview import preview_config

    return preview_config(desk, plan, path)


def _difference(old, new) -> list[str]:
    from brave_bridge.core.packages.changes import difference

    return list(difference(old, new, "before it"))


def _keep_answer(desk: Desk, path: str, answer: str) -> bool:
    from brave_bridge.workbench.policies import toggle_answer

    return toggle_answer(desk.target.kind, path, answer)


def _keep_choice(desk: Desk, choice: PlanChoice) -> bool:
    from brave_bridge.workbench.policies import toggle_choice

    return toggle_choice(desk.target.kind, choice)


def _policies(desk: Desk) -> list[Policy]:
    from brave_bridge.workbench.policies import listed_policies, read_policies

    return list(listed_policies(read_policies(desk.target.kind)))


def _forget_policy(desk: Desk, key: str) -> None:
    from brave_bridge.workbench.policies import forget_policy

    forget_policy(desk.target.kind, key)


def _keep_wish(desk: Desk, kind: str, slot: str) -> bool:
    from brave_bridge.workbench.policies import toggle_wish

    return toggle_wish(desk.target.kind, kind, slot)
