"""Licence keys: their form, their check character, and what a mistyped one may have been.

A key is five groups of four characters of A to Z and 0 to 9; the last one is the check character
of ISO/IEC 7064, MOD 37,36, which finds every single wrong character and nearly every exchange of
two neighbours. The first two say which edition the key is for.
"""

from collections.abc import Iterator

_ALPHABET = "0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ"
_GROUPS, _GROUP = 5, 4
LENGTH = _GROUPS * _GROUP
MARK = 2
"""How many characters at the beginning say which edition a key is for."""

_LONGEST = 200
_ALIKE = ("0ODQ", "1IL", "2Z", "5S", "6G", "8B", "UV", "VY", "MN")
"""Characters that are taken for each other."""

_MOST_HINTS = 3


class KeyFault(Exception):
    """Why something is no key, in a sentence that does not have the key in it.

    ``hints`` are places at which it was likely misread.
    """

    def __init__(self, why: str, hints: tuple[str, ...] = ()) -> None:
        super().__init__(why)
        self.hints = hints


class LicenceKey:
    """A key, which shows itself to nobody: only its last group may be told.

    It is handed on by ``reveal`` alone; it cannot be pickled, and no text has it by accident.
    """

    __slots__ = ("_letters",)

    def __init__(self, letters: str) -> None:
        self._letters = letters

    def __repr__(self) -> str:
        return f"<key {self.shown}>"

    def __reduce__(self) -> str:
        raise TypeError("a key is not written down")

    @property
    def shown(self) -> str:
        """The part of it that may be shown."""
        return f"…{self._letters[-_GROUP:]}"

    @property
    def mark(self) -> str:
        """Which edition it is for, as keys say it."""
        return self._letters[:MARK]

    def reveal(self) -> str:
        """The key itself, for whoever has to have it."""
        return self._letters

    def hidden_in(self, text: str) -> str:
        """A text without the key, however it is grouped there."""
        for spelling in (grouped(self._letters), grouped(self._letters, " "), self._letters):
            text = text.replace(spelling, self.shown).replace(spelling.lower(), self.shown)
        return text


def check_character(body: str) -> str:
    """The character behind a body (ISO/IEC 7064, MOD 37,36)."""
    modulus = len(_ALPHABET)
    product = modulus
    for letter in body:
        total = (product + _ALPHABET.index(letter)) % modulus or modulus
        product = total * 2 % (modulus + 1)
    return _ALPHABET[(modulus + 1 - product) % modulus]


def grouped(letters: str, between: str = "-") -> str:
    """A key as people write it."""
    return between.join(letters[at : at + _GROUP] for at in range(0, len(letters), _GROUP))


def read_key(typed: str) -> LicenceKey:
    """What was typed as a key; KeyFault where it is none, with what was likely misread."""
    if len(typed) > _LONGEST:
        raise KeyFault("it is far longer than a key")
    letters = "".join(c for c in typed.upper() if not c.isspace() and c not in "-–.")
    if not letters:
        raise KeyFault("nothing was typed")
    foreign = next((at for at, c in enumerate(letters) if c not in _ALPHABET), None)
    if foreign is not None:
        raise KeyFault(f"{_place(foreign)} is neither a letter from A to Z nor a digit")
    if len(letters) != LENGTH:
        raise KeyFault(f"it has {len(letters)} characters, a key has {LENGTH}")
    if check_character(letters[:-1]) != letters[-1]:
        hints = tuple(_misreadings(letters))
        why = "its check character does not fit: something in it is mistyped"
        raise KeyFault(why, hints if len(hints) <= _MOST_HINTS else ())
    return LicenceKey(letters)


def marked(typed: str, mark: str, edition: str) -> LicenceKey:
    """The key that was typed where keys begin with a mark; KeyFault where it is none of these."""
    key = read_key(typed)
    if key.mark != mark:
        raise KeyFault(f"it is no key for edition {edition}")
    return key


def judged(typed: str, marks: dict[str, str], wanted: str) -> LicenceKey:
    """The key that was typed for an edition; KeyFault where it is none, or for another.

    ``marks`` says which edition keys are for, by their mark.
    """
    key = read_key(typed)
    edition = marks.get(key.mark, "")
    if not edition:
        raise KeyFault(f"no edition of this system has keys that begin with {key.mark}")
    if edition != wanted:
        raise KeyFault(f"it is a key for edition {edition}, not for {wanted}")
    return key


def _place(at: int) -> str:
    return f"group {at // _GROUP + 1}, character {at % _GROUP + 1}"


def _misreadings(letters: str) -> Iterator[str]:
    """The places where one character taken for another, or an exchange, makes the rest right."""
    for at, letter in enumerate(letters):
        others = {c for group in _ALIKE if letter in group for c in group} - {letter}
        for other in sorted(others):
            if _is_right(letters[:at] + other + letters[at + 1 :]):
                yield f"{_place(at)}: {letter} may be {other}"
    for at in range(LENGTH - 1):
        one, two = letters[at], letters[at + 1]
        if one != two and _is_right(letters[:at] + two + one + letters[at + 2 :]):
            yield f"{_place(at)} and the one behind it may be exchanged"


def _is_right(letters: str) -> bool:
    return check_character(letters[:-1]) == letters[-1]
