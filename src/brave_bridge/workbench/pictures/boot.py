"""The chain from the firmware to the root as steps: each link hands over to the next one."""

from collections.abc import Sequence

from brave_bridge.core.boot.chain import CHOICE, Link
from brave_bridge.core.formats.text import plain
from brave_bridge.drawings.chart import Bar, Chart, Lane, Mark

LEGEND = (("█", "hands over to the next"), ("▒", "chosen for one boot alone"), ("╳", "breaks here"))


def key_of(link: Link) -> str:
    """The key of a link's row, and of the step that leads to it."""
    return f"chain:{link.name}"


def boot_picture(chain: Sequence[Link], once: bool) -> Chart:
    """A step for each link, the first at the left; ``once``: another one boots behind this."""
    lanes = [_step(link, number, len(chain), once) for number, link in enumerate(chain)]
    broken = next((link for link in chain if link.fault), None)
    last = chain[-1] if chain else None
    if broken is not None:
        telling = f"it breaks at the {broken.name}: {plain(broken.fault)}"
    else:
        telling = " → ".join(plain(link.value) for link in chain) if last else ""
    return Chart(
        title="What boots next?",
        lanes=tuple(lanes),
        ticks=((0.0, "power on"), (1.0, "the system runs")),
        telling=telling,
        legend=LEGEND,
    )


def _step(link: Link, number: int, count: int, once: bool) -> Lane:
    # The last one has room for its words as well.
    start, end = number / (count + 1), (number + 1) / (count + 1)
    words, key = plain(link.value), key_of(link)
    if link.fault:
        marks = (Mark(start + 0.02, "╳", "stop", words),)
        return Lane(key, link.name, (), marks, plain(link.fault), "stop")
    chosen = once and link.name == CHOICE
    fill, tone = ("light", "chosen") if chosen else ("solid", "clear")
    return Lane(key, link.name, (Bar(start, end, fill, tone, words),), (), "", "plain")
