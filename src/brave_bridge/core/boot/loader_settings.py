"""systemd-boot's own settings, loader.conf (loader.conf(5)): text in, text out."""

from brave_bridge.core.boot.keyed_text import keyed_lines, with_key_value


def default_of(text: str) -> str:
    """The pattern of entries that are booted, as written; empty where the loader chooses."""
    return next(
        (line.value for line in reversed(list(keyed_lines(text))) if line.key == "default"), ""
    )


def with_default(text: str, pattern: str) -> str:
    """The text with another default."""
    return with_key_value(text, "default", pattern)
