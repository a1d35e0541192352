"""Whose password a return would change: the account files of then and now (shadow(5))."""

import msgspec


class AccountChanges(msgspec.Struct, frozen=True):
    """Accounts by what happened since the snapshot; only names, never what is secret."""

    passwords: tuple[str, ...] = ()
    """The password of before comes back."""
    new: tuple[str, ...] = ()
    """The account would be gone."""
    removed: tuple[str, ...] = ()
    """The account would be there again."""

    @property
    def count(self) -> int:
        """How many accounts."""
        return len(self.passwords) + len(self.new) + len(self.removed)


def account_changes(then: str, now: str) -> AccountChanges:
    """Compare two texts of /etc/shadow."""
    before, after = _secrets(then), _secrets(now)
    both = before.keys() & after.keys()
    return AccountChanges(
        passwords=tuple(sorted(name for name in both if before[name] != after[name])),
        new=tuple(sorted(after.keys() - before.keys())),
        removed=tuple(sorted(before.keys() - after.keys())),
    )


def _secrets(text: str) -> dict[str, str]:
    rows = [line.split(":") for line in text.splitlines() if line.count(":") >= 2]
    return {row[0]: row[1] for row in rows if row[0]}
