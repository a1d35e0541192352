"""Where a leg needs room: what is fetched and what grows, on each file system."""

from brave_bridge.core.survey.facts import Facts

FETCHED_TO, GROWS_AT = "/var/cache", "/usr"


def needs_at(facts: Facts, path: str, fetch: int, grow: int) -> tuple[int, int]:
    """Of the bytes that are fetched and that the system grows by, those at a path's room."""
    here = facts.room_at(path)
    return (
        fetch if here == facts.room_at(FETCHED_TO) else 0,
        max(grow, 0) if here == facts.room_at(GROWS_AT) else 0,
    )
