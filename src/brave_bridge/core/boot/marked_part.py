"""A part of ours in a text file that others own: put in, exchanged, taken out, all else kept."""

BEGIN = "# begin of what Brave Bridge wrote: made anew or taken out by it"
END = "# end of what Brave Bridge wrote"


def with_part(text: str, part: str) -> str:
    """The text with our part at its end, in place of one that is there; none: without it."""
    kept = without_part(text)
    if not part:
        return kept
    gap = "" if not kept or kept.endswith("\n") else "\n"
    return f"{kept}{gap}{BEGIN}\n{part.rstrip(chr(10))}\n{END}\n"


def part_in(text: str) -> str:
    """Our part of the text; empty where there is none, or its end was taken away."""
    lines = text.split("\n")
    if BEGIN not in lines:
        return ""
    first = lines.index(BEGIN)
    if END not in lines[first:]:
        return ""
    return "".join(f"{line}\n" for line in lines[first + 1 : lines.index(END, first)])


def without_part(text: str) -> str:
    """The text without our part; as it is where the part has no end that could be told."""
    lines = text.split("\n")
    if BEGIN not in lines:
        return text
    first = lines.index(BEGIN)
    if END not in lines[first:]:
        return text
    del lines[first : lines.index(END, first) + 1]
    return "\n".join(lines)
