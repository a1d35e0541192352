"""Why apt-get or dpkg failed, found in what it printed: causes ahead of what follows from them.

Follows the messages of apt-get(8) and dpkg(1) in the C locale. A package whose script fails is
told with the script's own last words, which dpkg prints above its own line.
"""

import re
from itertools import takewhile

_FATAL = ("dpkg: unrecoverable fatal error", "dpkg-deb: error", "dpkg-split: error")
"""Failures whose words go on over several lines, indented or not."""

_MARKS = ("E: ", "W: ", "Err:", "dpkg: error", "dpkg: warning", *_FATAL)
_OF_A_PACKAGE = re.compile(r"dpkg: error processing (?:package|archive) (\S+)")
_BEGINS = re.compile(
    r"(?:Setting up|Unpacking|Preparing to unpack|Selecting previously|Removing|Purging|"
    r"Processing triggers for|Installing new version|\(Reading database|Get:|Fetched|dpkg: |"
    r"Errors were encountered|[EW]: )"
)
_FOLLOWS = "dependency problems"
"""What dpkg says of a package that only waits for another one."""

_ADVICE = re.compile(
    r"Sub-process \S+ returned an error code|you may want to run|you must manually run|"
    r"(?:might|may) want to run|Can not write log|Try 'apt|Unable to correct problems|"
    r"Some (?:index )?files failed"
)
"""What is said whatever went wrong."""

_MOST_WORDS = 3
_MOST_ANNOUNCED = 4
_CAUSE, _CONSEQUENCE, _STANDING, _WARNING = range(4)


def fault_lines(output: str) -> list[str]:
    """What a person has to see of an output, without repetition.

    Causes come first, then packages that only wait for others, then what is said whatever went
    wrong, then warnings; each of these in their order. A line is told together with the indented
    one that it announces.
    """
    found: dict[str, int] = {}
    lines = output.splitlines()
    for number, line in enumerate(lines):
        if line.startswith(_MARKS):
            announced = _announced(line, lines[number + 1 : number + 1 + _MOST_ANNOUNCED])
            said = f"{line.strip()} {announced}".strip()
            if _OF_A_PACKAGE.match(line) and not announced.startswith(_FOLLOWS):
                said += _words_of(_last_words(lines[:number]))
            found.setdefault(said, _rank(line, announced))
    return sorted(found, key=lambda said: found[said])


def _announced(line: str, following: list[str]) -> str:
    """What a line announces: the indented one below it, or the rest of a failure's own words."""
    if not line.startswith(_FATAL):
        return following[0].strip() if following and following[0].startswith(" ") else ""
    return " ".join(one.strip() for one in takewhile(lambda one: not _BEGINS.match(one), following))


def _rank(line: str, announced: str) -> int:
    if line.startswith(("W: ", "dpkg: warning")):
        return _WARNING
    if _ADVICE.search(line):
        return _STANDING
    return _CONSEQUENCE if announced.startswith(_FOLLOWS) else _CAUSE


def _last_words(before: list[str]) -> list[str]:
    """The lines right above a failure that are the script's own."""
    words: list[str] = []
    for line in reversed(before):
        if _BEGINS.match(line) or len(words) == _MOST_WORDS:
            break
        if line.strip():
            words.insert(0, line.strip())
    return words


def _words_of(said: list[str]) -> str:
    return f" (it said: {'; '.join(said)})" if said else ""
