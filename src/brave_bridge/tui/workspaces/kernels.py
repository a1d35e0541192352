"""Kernels: what boots next, and which kernels stay, come and go?"""

from __future__ import annotations

from typing import TYPE_CHECKING

from brave_bridge.tui.actions import Action
from brave_bridge.tui.choose_dialog import ChooseKernel, ChooseTree
from brave_bridge.tui.dialogs import Confirm, ConfirmByName, Told
from brave_bridge.tui.workspaces.base import Workspace

if TYPE_CHECKING:
    from brave_bridge.core.boot.trial_way import TrialWay
    from brave_bridge.workbench.boot.offered_kernels import OfferedKernel
    from brave_bridge.workbench.pages.page import Page, Row
    from brave_bridge.workbench.record import MachineRecord


def _has_some(record: MachineRecord | None) -> bool:
    """Whether the machine has a kernel."""
    return bool(record and record.surveyed and record.surveyed.facts.kernels)


class KernelsWorkspace(Workspace):
    """The kernels on the machine, and the chain from the firmware to the root."""

    KEY, NAME, WORDS = "8", "kernels", "Kernels"
    ACTIONS = (
        Action(
            "hold",
            "h",
            "hold, let go",
            "Stay on the series of this kernel, or let it go on",
            _has_some,
            "hold-series",
        ),
        Action(
            "add", "a", "add", "Install a kernel that the sources have", _has_some, "add-kernel"
        ),
        Action(
            "build",
            "b",
            "build",
            "Build a kernel from its source in /usr/src",
            command="build-kernel",
        ),
        Action(
            "drivers",
            "v",
            "drivers",
            "What this kernel drives that the running one does not",
            _has_some,
            "drivers",
        ),
        Action("remove", "d", "remove", "Take this kernel away", _has_some, "remove-kernels"),
        Action(
            "remove_old",
            "o",
            "remove old",
            "Take away what neither runs, boots next nor is spare",
            _has_some,
            "remove-kernels",
        ),
    )
    CHOSEN = {"boot-once": "boot_once", "start-other": "start_other"}
    ENTER = "boot once"

    def page(self, record, harbour) -> Page:
        from brave_bridge.workbench.pages.kernels import kernels_page

        return kernels_page(record)

    def boot_once(self, row: Row) -> None:
        """Have the kernel under the cursor tried at the next boot, once it is agreed to."""
        from brave_bridge.workbench.boot.booting import begin_boot_once, must_be_tried_once

        name, kernel = self.app.harbour.current, row.key

        def ask(way: TrialWay) -> None:
            lines = [f"Kernel {kernel} is tried at the next boot alone.", "", way.fails, way.hangs]
            self.app.push_screen(ConfirmByName("Boot it once", lines, name), begin)

        def begin(agreed: bool | None) -> None:
            if agreed:
                self.set_going(
                    name,
                    "trying a kernel",
                    lambda desk: begin_boot_once(desk, kernel, unattended=False),
                )

        self.do(name, "looking how", lambda desk: must_be_tried_once(desk.facts(), kernel), ask)

    def start_other(self, row: Row) -> None:
        """Have the firmware start what is under the cursor at the next boot alone, or not."""
        from brave_bridge.workbench.boot.booting import begin_starting_as_ever, begin_starting_other

        record, option = self.record, row.of
        if record is None:
            return
        if option.next:
            self.set_going(record.name, "taking the choice back", begin_starting_as_ever)
            return

        def begin(agreed: bool | None) -> None:
            if agreed:
                self.set_going(
                    record.name,
                    "choosing what starts next",
                    lambda desk: begin_starting_other(desk, option.name),
                )

        lines = [
            f"The firmware starts {option.title} at the next boot alone.",
            "",
            "The boot after that is as ever, whatever becomes of it.",
        ]
        self.app.push_screen(Confirm("Start another once", lines), begin)

    def action_hold(self) -> None:
        """Hold the series of the kernel under the cursor; let it go where one is held by us."""
        from brave_bridge.core.kernels.kernel_package import series_of
        from brave_bridge.workbench.boot.kernel_series import (
            begin_hold,
            begin_letting_go,
            kernel_holds,
            what_a_hold_means,
        )

        record = self.record
        if record is None or record.surveyed is None:
            return
        facts, name = record.surveyed.facts, record.name
        if any(hold.is_ours for hold in kernel_holds(facts)):
            self.set_going(name, "letting the series go", begin_letting_go)
            return
        kernel = self._pointed_kernel() or facts.kernel_that_came_up
        series = series_of(kernel)

        def begin(agreed: bool | None) -> None:
            if agreed:
                self.set_going(name, "holding kernels", lambda desk: begin_hold(desk, series))

        lines = what_a_hold_means(facts, series)
        self.app.push_screen(Confirm(f"Stay on kernels {series}", lines), begin)

    def _pointed_kernel(self) -> str:
        """The kernel under the cursor; empty where something else is."""
        record, row = self.record, self.ledger.pointed
        kernels = record.surveyed.facts.kernels if record and record.surveyed else ()
        return next((k.version for k in kernels if row is not None and k.version == row.key), "")

    def action_build(self) -> None:
        """Choose a source, carry the configuration over, and build it once that is agreed to."""
        from brave_bridge.workbench.boot.kernel_building import Wishes, begin_build, source_trees

        name = self.app.harbour.current

        def ask(trees: list[str]) -> None:
            if trees:
                self.app.push_screen(ChooseTree(trees), begin)
            else:
                self.warn("There is no source of a kernel in /usr/src.")

        def begin(tree: str | None) -> None:
            if tree is not None:
                self.set_going(
                    name,
                    "configuring a kernel",
                    lambda desk: begin_build(desk, tree, Wishes(), unattended=False),
                )

        self.do(name, "looking for sources", lambda desk: source_trees(desk.machine), ask)

    def action_drivers(self) -> None:
        """Hold the kernel under the cursor against the running one, device by device."""
        from brave_bridge.workbench.boot.kernel_drivers import driver_lines, driver_report

        kernel, name = self._pointed_kernel(), self.app.harbour.current
        if not kernel:
            self.warn("Point at a kernel first.")
            return
        self.do(
            name,
            "reading what it drives",
            lambda desk: driver_report(desk, kernel),
            lambda report: self.app.push_screen(Told(f"Drivers of {kernel}", driver_lines(report))),
        )

    def action_remove(self) -> None:
        """Take the kernel under the cursor away, once it is agreed to."""
        if kernel := self._pointed_kernel():
            self._remove((kernel,), old=False)
        else:
            self.warn("Point at a kernel first.")

    def action_remove_old(self) -> None:
        """Take away what goes by rule, once it is agreed to."""
        self._remove((), old=True)

    def _remove(self, wanted: tuple[str, ...], *, old: bool) -> None:
        from brave_bridge.workbench.boot.kernels import begin_removal, kernels_to_remove

        name = self.app.harbour.current

        def ask(kernels: tuple[str, ...]) -> None:
            words = "A way back is made first. The package manager takes away just these."
            lines = [*kernels, "", words]
            self.app.push_screen(Confirm("Remove kernels", lines), lambda yes: begin(yes, kernels))

        def begin(agreed: bool | None, kernels: tuple[str, ...]) -> None:
            if agreed:
                going = lambda desk: begin_removal(desk, kernels)  # noqa: E731
                self.set_going(name, "removing kernels", going)

        self.do(name, "looking", lambda desk: kernels_to_remove(desk, wanted, old=old), ask)

    def action_add(self) -> None:
        """Choose one of the kernels that the sources have, and install it."""
        from brave_bridge.workbench.boot.kernels import begin_adding
        from brave_bridge.workbench.boot.offered_kernels import offered_kernels

        name = self.app.harbour.current

        def ask(offered: tuple[OfferedKernel, ...]) -> None:
            new = tuple(one for one in offered if not one.is_here)
            if new:
                self.app.push_screen(ChooseKernel(new), begin)
            else:
                self.warn("The sources have no kernel that is not here.")

        def begin(chosen: OfferedKernel | None) -> None:
            if chosen is not None:
                self.set_going(
                    name,
                    "adding a kernel",
                    lambda desk: begin_adding(desk, chosen.packages),
                )

        self.do(name, "reading what the sources have", offered_kernels, ask)
