"""The language that the system speaks (locale.conf(5), /etc/default/locale)."""

from brave_bridge.core.formats.os_release import read_os_release
from brave_bridge.core.formats.text import one_line
from brave_bridge.core.survey.facts import Evidence
from brave_bridge.machines.queries import Contents, Seen

_FILES = ("/etc/locale.conf", "/etc/default/locale")
QUERIES = (Contents(_FILES, 4096),)


def read(seen: Seen) -> tuple[str, Evidence]:
    """LANG, or an empty text."""
    for path in _FILES:
        language = one_line(read_os_release(seen.text(path) or "").get("LANG", ""), 40)
        if language:
            return language, Evidence("locale", path, language)
    return "", Evidence("locale", _FILES[0], "", absent="no file sets the language")
