"""How long a way back lasts, in days and words."""

from datetime import date, datetime

SOON_DAYS = 3
"""From here on a deadline is announced."""


def days_left(deadline: str, today: date) -> int | None:
    """Days until it ends, negative where it has; None without a deadline."""
    return (datetime.fromisoformat(deadline).date() - today).days if deadline else None


def left_words(days: int | None) -> str:
    """As a person says it; empty without a deadline."""
    if days is None:
        return ""
    if days < 0:
        return f"ended {-days} d ago"
    return {0: "ends today", 1: "1 day left"}.get(days, f"{days} days left")
