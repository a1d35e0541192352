"""The recovery card of the machine at a desk: as a page, and as files."""

from pathlib import Path

from brave_bridge.core.ways_back.recovery_card import (
    Card,
    card_text,
    make_card,
)
from brave_bridge.machines.opening.named import named_folder, write_named
from brave_bridge.runner.card_maker import STEM, card_facts, keep_card
from brave_bridge.snapshots.rescue.build import keep_rescue_tool
from brave_bridge.workbench.desk import Desk


def card_of(desk: Desk) -> Card:
    """The card as things are now."""
    return make_card(card_facts(desk.machine, desk.facts_as_far_as_known(), desk.snapshots))


def text_of(desk: Desk) -> str:
    """The card as plain text."""
    return card_text(card_of(desk))


def save_card(desk: Desk, folder: Path, paper: str = "a4") -> list[Path]:
    """Write the card as SVG, PDF and text to a folder, and keep it with the machine.

    The rescue tool comes with it: the card says how to go back by that.
    """
    from brave_bridge.drawings import card as drawing

    desk.machine.state.make()
    keep_card(desk.machine, desk.facts_as_far_as_known(), desk.snapshots, drawn=True)
    card = card_of(desk)
    stem = f"{STEM}-{desk.machine.name}"
    text = folder / f"{stem}.txt"
    write_named(text, card_text(card).encode())
    tool = keep_rescue_tool(named_folder(folder))
    return [*drawing.save_card(card, folder, stem, paper), text, folder / tool.name]
