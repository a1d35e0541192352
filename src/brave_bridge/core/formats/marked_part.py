"""Parts of ours in a text file that others own: put in, exchanged, taken out, all else kept.

A file may have several, each about its own subject.
"""

OWN = "what Brave Bridge wrote"


def _begin(about: str) -> str:
    if about == OWN:
        return f"# begin of {OWN}: made anew or taken out by it"
    return f"# begin of {OWN} ({about}): made anew or taken out by it"


def _end(about: str) -> str:
    return f"# end of {OWN}" if about == OWN else f"# end of {OWN} ({about})"


def with_part(text: str, part: str, about: str = OWN, *, behind: str = "") -> str:
    """The text with our part at its end, in place of one that is there; none: without it.

    ``behind``: right behind the first such line; ValueError where the text has none.
    """
    kept = without_part(text, about)
    if not part:
        return kept
    lines = kept.removesuffix("\n").split("\n") if kept else []
    at = _behind(lines, behind) if behind else len(lines)
    lines[at:at] = [_begin(about), part.rstrip("\n"), _end(about)]
    return "\n".join(lines) + "\n"


def _behind(lines: list[str], wanted: str) -> int:
    at = next((number for number, line in enumerate(lines) if line.strip() == wanted), None)
    if at is None:
        raise ValueError(f"it has no line {wanted}")
    return at + 1


def part_in(text: str, about: str = OWN) -> str:
    """Our part of the text; empty where there is none, or its end was taken away."""
    lines = text.split("\n")
    if _begin(about) not in lines:
        return ""
    first = lines.index(_begin(about))
    if _end(about) not in lines[first:]:
        return ""
    return "".join(f"{line}\n" for line in lines[first + 1 : lines.index(_end(about), first)])


def without_part(text: str, about: str = OWN) -> str:
    """The text without our part; as it is where the part has no end that could be told."""
    lines = text.split("\n")
    if _begin(about) not in lines:
        return text
    first = lines.index(_begin(about))
    if _end(about) not in lines[first:]:
        return text
    del lines[first : lines.index(_end(about), first) + 1]
    return "\n".join(lines)
