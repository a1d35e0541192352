"""Password ages of accounts (shadow(5))."""

from datetime import date, timedelta

import msgspec

_EPOCH = date(1970, 1, 1)


class Account(msgspec.Struct, frozen=True):
    """An account that can log in by password; ``changed`` is the ISO day of its last change."""

    name: str
    changed: str


def read_password_ages(text: str) -> list[Account]:
    """The accounts of a shadow file that have a password, without the password itself."""
    found = []
    for line in text.splitlines():
        words = line.split(":")
        if len(words) < 3 or not words[1] or words[1].startswith(("!", "*")):
            continue
        if words[2].isdigit() and int(words[2]) < 100_000:
            found.append(Account(words[0], str(_EPOCH + timedelta(days=int(words[2])))))
    return found
