"""Is what is known of the sources recent?"""

from datetime import date
from email.utils import parsedate_to_datetime

from brave_bridge.core.survey.findings import Situation, caution, clear, not_applicable, rule

OLD_DAYS, OLD_DAYS_WITHOUT_FIXES = 30, 120
"""Suites of fixes change daily; a release itself changes with its point releases alone."""


@rule(
    "stale-indices",
    "updates",
    asks="Is what is known of the sources recent?",
    means="Updates are judged by what was fetched last: newer ones, and the next release's keys, "
    "may not be known yet.",
    needs="sources",
)
def stale_indices(situation: Situation):
    facts, release = situation.facts, situation.release
    if not any("deb" in entry.types for entry in facts.sources):
        yield not_applicable("The indices of this family are not read", "no deb source")
        return
    days = [(situation.today - day).days for a in facts.archives if (day := _day(a.date))]
    if not days:
        yield caution(
            "What the sources have was never fetched",
            f"{situation.manager.indices}: no description of a source",
            "Look for updates (u).",
            fix=situation.manager.refresh,
        )
    elif release is not None and release.is_closed(situation.today) and min(days) > OLD_DAYS:
        yield clear(
            f"{release.title} is closed: its sources, written {min(days)} days ago, change no more",
            f"support ended {release.support_ends}; Date in the indices",
        )
    elif min(days) > OLD_DAYS and _was_asked_lately(situation):
        yield clear(
            f"The sources were asked on {situation.refreshed_at[:10]} and have nothing newer",
            f"written {min(days)} days ago: Date in the indices",
        )
    elif situation.end and _older(days, situation, situation.end.released):
        yield caution(
            f"What the sources have is older than {situation.end.title}",
            f"newest index: {min(days)} days old; {situation.end.title} is out since "
            f"{situation.end.released}",
            "Look for updates (u).",
            fix=situation.manager.refresh,
        )
    elif min(days) > (OLD_DAYS if _has_fixes(situation) else OLD_DAYS_WITHOUT_FIXES):
        yield caution(
            f"What the sources have was written {min(days)} days ago",
            f"Date in {facts.archives[0].uri} {facts.archives[0].suite}: {facts.archives[0].date}",
            "Look for updates (u).",
            fix=situation.manager.refresh,
        )
    else:
        age = f"{min(days)} days old" if min(days) > 1 else "fresh"
        yield clear(f"What the sources have is {age}", "Date in the indices")


def _was_asked_lately(situation: Situation) -> bool:
    days = situation.days_since(situation.refreshed_at)
    return days is not None and days <= OLD_DAYS and not situation.failed_sources


def _has_fixes(situation: Situation) -> bool:
    """Whether a suite of fixes was read; where the line has none, a release gets them itself."""
    line, release = situation.line, situation.release
    if line is None or release is None or not line.security_suites:
        return True
    named = release.named(line.security_suites)
    return any(archive.suite in named for archive in situation.facts.archives)


def _older(days: list[int], situation: Situation, released: date | None) -> bool:
    """Whether even the newest index was written before the next release was out."""
    return released is not None and min(days) > (situation.today - released).days


def _day(text: str):
    try:
        return parsedate_to_datetime(text).date()
    except (ValueError, TypeError):
        return None
