"""The licence of a system that has one: ``edition`` and ``ends`` in its licence file."""

from datetime import date

from brave_bridge.core.formats.os_release import read_os_release
from brave_bridge.core.formats.text import one_line
from brave_bridge.core.survey.facts import Evidence, Licence
from brave_bridge.machines.queries import Contents, Seen

FILE = "/etc/licence"
QUERIES = (Contents((FILE,), 4096),)


def read(seen: Seen) -> tuple[Licence | None, Evidence]:
    """The licence, or None where the system needs none."""
    values = read_os_release(seen.text(FILE) or "")
    try:
        ends = str(date.fromisoformat(values.get("ENDS", "")))
    except ValueError:
        return None, Evidence("licence", FILE, "", absent="the system needs no licence")
    edition = one_line(values.get("EDITION", ""), 40)
    return Licence(edition, ends), Evidence("licence", FILE, f"{edition} until {ends}")
