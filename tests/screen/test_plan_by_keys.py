"""The Plan and Route workspaces in a real terminal: folds, preferences, order, three versions."""

import shutil

import pytest

from tests.screen.test_by_keys import to_petrel

pytestmark = [
    pytest.mark.xdist_group("screen"),
    pytest.mark.skipif(shutil.which("tmux") is None, reason="the tool tmux is missing"),
]


def point_at(screen, text: str) -> None:
    """Put the cursor on the first row that has a text in it."""
    screen.press("/")
    screen.wait_for("Esc shows all")
    screen.type(text)
    screen.wait_for(rf"╭─ why (?s:.*){text}")
    screen.leave_filter()


def show_all(screen) -> None:
    """Leave the filter."""
    screen.press("Escape")
    screen.wait_for("questions? answered ahead|would go away|upgraded")


def test_a_plan_is_decided_by_keys(terminal):
    screen = terminal()
    to_petrel(screen)
    screen.press("4")
    screen.wait_for("p plans the way to 7 diamond")
    screen.press("p")
    screen.wait_for("2 packages that would go away", "9 packages that you installed by hand")
    # A fold opens and closes.
    point_at(screen, "quay-coreutils")
    screen.wait_for("newer in diamond")
    show_all(screen)
    # What is held on to costs others: the difference is told, the plan shows it.
    point_at(screen, "estuary-agent")
    screen.press("h")
    screen.wait_for("13 differences to the plan before")
    show_all(screen)
    screen.press("Home")
    screen.wait_for("1 preference of yours")
    screen.wait_for("9 packages kept back")
    screen.press("Enter")
    screen.wait_for("2 packages that would go away")
    # The order of what counts, and nothing changed by looking at it.
    screen.press("o")
    screen.wait_for("as few packages as possible are kept back")
    screen.press("Escape")
    screen.wait_for("2 packages that would go away")
    # Three versions of a config file, and an answer given there.
    point_at(screen, "webd.conf")
    screen.press("v")
    screen.wait_for(
        "what the new version changes", "+workers 8", "+workers auto", "changed the same lines"
    )
    screen.press("t")
    screen.wait_for("take theirs +")
    screen.press("k")
    screen.wait_for("It holds for every machine")


def test_a_jump_stands_beside_the_steps(terminal):
    screen = terminal()
    to_petrel(screen)
    screen.press("3")
    screen.wait_for("8 englefield")
    screen.press("Down")
    screen.press("Enter")
    screen.wait_for("the way to 8 englefield, leg by leg")
    screen.press("p")
    screen.wait_for("── 5.3 bowline to 7 diamond ──", seconds=60)
    screen.press("3")
    screen.wait_for("straight from 5.3 bowline to 8 englefield, beside the steps")


def test_a_safer_way_is_taken(terminal):
    screen = terminal("--demo skua")
    screen.wait_for("Fathom 11")
    screen.press("3")
    screen.wait_for("◉ +shortest .* should wait", "the way to 13, in one leg")
    point_at(screen, "by way of 12")
    screen.press("Enter")
    screen.press("Escape")
    screen.wait_for("◉ +safest", "the way to 13, leg by leg", "12 → 13")


def test_a_source_is_decided_and_kept_as_a_policy(terminal):
    screen = terminal()
    to_petrel(screen)
    screen.press("4")
    screen.wait_for("p plans the way to 7 diamond")
    screen.press("p")
    screen.wait_for("2 packages that would go away")
    screen.press("Home")
    screen.wait_for("What becomes of")
    screen.press("Enter")
    screen.wait_for(
        "Enter answers and plans again", "it is commented out until it has 7 diamond (the default)"
    )
    screen.press("Up", "Enter")
    screen.wait_for("estuary-agent comes to 3.1-1")
    screen.wait_for("1 package that would go away")
    screen.press("k")
    screen.wait_for("It holds for every machine")
    screen.press("K")
    screen.wait_for("instruments bowline-5.3: takes suite stable")
    screen.press("d")
    screen.wait_for("It holds no longer")
