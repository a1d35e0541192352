"""What reaches a terminal: nothing that steers it, or turns text round, whoever wrote it."""

from rich.cells import cell_len
from rich.segment import Segment
from textual.color import Color
from textual.filter import LineFilter

from brave_bridge.core.formats.text import drawable


class OnlyText(LineFilter):
    """Takes out of every line, as it is drawn, what is no text; the line stays as wide as it is."""

    def apply(self, segments: list[Segment], background: Color) -> list[Segment]:
        """See LineFilter."""
        return [
            segment
            if segment.control or (segment.text.isascii() and segment.text.isprintable())
            else Segment(drawable(segment.text, _as_wide), segment.style)
            for segment in segments
        ]


def _as_wide(odd: str) -> str:
    return "\N{REPLACEMENT CHARACTER}" * cell_len(odd)


ONLY_TEXT = OnlyText()
