"""Interpreters: the programs that run the scripts of this machine's own."""

from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.families.baseline.reading import not_read, topic
from brave_bridge.machines.queries import Seen

NAME = "interpreters"
QUERIES = ()
_WHERE = "the first lines of scripts in /usr/local, /opt and among the jobs"
_READ = ("/usr/local/bin*", "/usr/local/sbin*", "/etc/cron*")


def read(facts: Facts, seen: Seen) -> TopicSeen:
    """See the package's description."""
    values = {one.name: ", ".join(one.users[:3]) for one in facts.own_interpreters if one.path}
    return topic(NAME, values, _WHERE, not_read(seen, _READ))
