"""Scheduled jobs: crontab(5) lines of the system and of people; timers are among the units."""

import re

from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.families.baseline.reading import not_read, topic
from brave_bridge.machines.queries import Contents, Names, Seen

NAME = "scheduled jobs"
_TABLES = ("/etc/crontab", "/etc/cron.d/*", "/var/spool/cron/crontabs/*", "/var/spool/cron/*")
_SCRIPTS = ("/etc/cron.hourly/*", "/etc/cron.daily/*", "/etc/cron.weekly/*", "/etc/cron.monthly/*")
QUERIES = (Contents(_TABLES, 256 * 1024), Names(_SCRIPTS))
_SETTING = re.compile(r"^\s*\w+\s*=")
_OURS = "/etc/cron.d/brave-bridge"


def read(facts: Facts, seen: Seen) -> TopicSeen:
    """See the package's description; a job is its file and its command, and whose it is."""
    values: dict[str, str] = {}
    shipped = _shipped(facts)
    for pattern in _TABLES:
        for path, text in seen.texts(pattern):
            for line in text.splitlines() if path != _OURS else ():
                if line.strip() and not line.lstrip().startswith("#") and not _SETTING.match(line):
                    values[f"{path}: {' '.join(line.split())}"] = shipped.get(path, "set")
    for pattern in _SCRIPTS:
        for found in seen.paths(pattern):
            if not found.path.endswith(".placeholder"):
                values[found.path] = shipped.get(found.path, "set")
    closed = not_read(seen, (*_TABLES, "/var/spool/cron*", "/etc/cron*"))
    return topic(NAME, values, "/etc/crontab, /etc/cron.*, /var/spool/cron", closed)


def _shipped(facts: Facts) -> dict[str, str]:
    """The files that are as their packages ship them, each ``of PACKAGE``."""
    changed = {config.path for config in facts.changed_configs}
    return {
        path: f"of {package.name}"
        for package in facts.installed
        for path in package.conffiles
        if path not in changed
    }
