"""Lines of ours in a file that is somebody else's: marked, so that they can be taken out whole."""

_BEGIN, _END = "# {} begins", "# {} ends"


def with_block(text: str, name: str, lines: tuple[str, ...], *, behind: str = "") -> str:
    """The text with lines of ours, in the place of those that are there.

    ``behind`` is a line that they have to follow; ValueError where the text has none such. They
    come at the end where it is empty.
    """
    kept = without_block(text, name).splitlines(keepends=True)
    if kept and not kept[-1].endswith("\n"):
        kept[-1] += "\n"
    at = len(kept)
    if behind:
        at = 1 + next((n for n, line in enumerate(kept) if line.strip() == behind), len(kept))
        if at > len(kept):
            raise ValueError(f"it has no line {behind}")
    block = (_BEGIN.format(name), *lines, _END.format(name))
    return "".join((*kept[:at], *(f"{line}\n" for line in block), *kept[at:]))


def without_block(text: str, name: str) -> str:
    """The text as it is without lines of ours."""
    return "".join(line for line, is_ours in _marked(text, name) if not is_ours)


def block_in(text: str, name: str) -> str:
    """The lines of ours alone, without their marks; empty where there are none."""
    ours = [line for line, is_ours in _marked(text, name) if is_ours]
    return "".join(ours[1:-1])


def _marked(text: str, name: str) -> list[tuple[str, bool]]:
    """Each line, and whether it is of a block of ours; a block without an end is none."""
    lines = text.splitlines(keepends=True)
    words = [line.strip() for line in lines]
    begin, end = _BEGIN.format(name), _END.format(name)
    if begin not in words or end not in words[words.index(begin) :]:
        return [(line, False) for line in lines]
    first = words.index(begin)
    last = words.index(end, first)
    return [(line, first <= number <= last) for number, line in enumerate(lines)]
