"""How long a frame of the pictures takes, at 142x42 and with many rows behind them."""

import os
import tempfile
import time
from datetime import date
from pathlib import Path
from statistics import median

import msgspec

from brave_bridge.drawings.chart import Chart
from brave_bridge.drawings.chart_text import drawn
from brave_bridge.workbench.demo import build_demo
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.members import fleet_members
from brave_bridge.workbench.pages.fleet import fleet_page
from brave_bridge.workbench.papers.drawing import PAGES
from brave_bridge.workbench.planning.plans import Plans
from brave_bridge.workbench.reading import read_machine

WIDTH, HEIGHT = 100, 14
"""What a picture has of a screen of 142 columns and 42 lines beside the Why pane."""
TODAY = date(2026, 6, 1)
_ROUNDS = 25


def run_all() -> None:
    """The picture of every view of petrel, and of a fleet of five hundred."""
    with tempfile.TemporaryDirectory(prefix="brave-bridge-bench-") as folder:
        os.environ["XDG_STATE_HOME"] = folder
        build_demo(Path(folder) / "brave-bridge/demo")
        _, members = fleet_members((), demo=True)
        records = [read_machine(member) for member in members]
        petrel = next(member for member in members if member.name == "petrel")
        Plans(Desk(petrel.target)).make("7")
        record = read_machine(petrel)
        for name, page in PAGES.items():
            _tell(name, page(record, TODAY).picture)
        many = [msgspec.structs.replace(records[n % 9], name=f"m{n}") for n in range(500)]
        _tell("fleet of 500", fleet_page(many, TODAY).picture)


def _tell(name: str, chart: Chart | None) -> None:
    if chart is None:
        return
    frames = []
    for number in range(_ROUNDS):
        pointed = chart.lanes[number % len(chart.lanes)].key if chart.lanes else ""
        began = time.perf_counter()
        drawn(chart, WIDTH, HEIGHT, pointed)
        frames.append(time.perf_counter() - began)
    print(
        f"| frame of the picture, {name} (at most 0.016 is wanted) | {median(frames):.4f} s "
        f"| slowest of {_ROUNDS} | {max(frames):.4f} s | |",
        flush=True,
    )
