"""What a licence service answers, as a system's own tool passes it on.

One JSON object: ``{"verdict", "edition", "left", "code", "words"}``. Whoever answers is not
trusted: what is none of this is an answer that cannot be used, never a yes.
"""

import msgspec

from brave_bridge.core.formats.decoding import decode_json
from brave_bridge.core.formats.text import one_line

GOOD = "good"
SILENT = "silent"
"""Nobody answered, or nobody in time."""

UNUSABLE = "unusable"
"""Something answered that is no licence service."""

WORDS = {
    GOOD: "the key is good",
    "unknown": "the licence service does not know this key",
    "used up": "this key is used up: it has been taken into use as often as it may be",
    "other edition": "the licence service knows this key for another edition",
    "clock": "the machine's clock is off by more than the licence service takes",
    SILENT: "the licence service does not answer",
    UNUSABLE: "what answers is no licence service",
}
"""Each verdict in words."""

_LONGEST = 65_536


class Answer(msgspec.Struct, frozen=True):
    """What was answered. ``left`` is how often the key can still be taken into use.

    ``code`` is what is told to the office on the telephone where there is no link.
    """

    verdict: str
    edition: str = ""
    left: int = -1
    code: str = ""
    words: str = ""

    @property
    def is_good(self) -> bool:
        """Whether it is a yes."""
        return self.verdict == GOOD

    @property
    def is_refusal(self) -> bool:
        """Whether it is a no, of somebody who knows."""
        return self.verdict not in (GOOD, SILENT, UNUSABLE)

    @property
    def told(self) -> str:
        """It in a sentence."""
        plain = WORDS[self.verdict]
        return f"{plain} ({self.words})" if self.words and not self.is_good else plain


def read_answer(output: str) -> Answer:
    """The answer in a tool's output; an unusable one where it has none."""
    if len(output) > _LONGEST:
        return Answer(UNUSABLE, words=f"an answer of {len(output)} characters")
    line = next((one for one in reversed(output.splitlines()) if one.strip()), "")
    try:
        found = decode_json(line.encode("utf-8", "replace"), Answer)
    except msgspec.DecodeError as error:
        return Answer(UNUSABLE, words=one_line(str(error), 120))
    if found.verdict not in WORDS:
        return Answer(UNUSABLE, words=f"verdict {one_line(found.verdict, 40)}")
    return Answer(
        found.verdict,
        one_line(found.edition, 40),
        found.left,
        one_line(found.code, 60),
        one_line(found.words, 200),
    )
