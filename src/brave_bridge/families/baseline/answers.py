"""Whether what listens answers: each listening TCP port is connected to, and nothing is said."""

from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.families.baseline.reading import AT_REST, absent, topic
from brave_bridge.machines.queries import Knocks, Query, Seen

NAME = "answers"
QUERIES: tuple[Query, ...] = ()
_WHERE = "connecting to what listens"


def query(answered: dict[str, str]) -> Knocks:
    """Knock at every port; what answered better before is waited for."""
    return Knocks(before=answered)


def read(facts: Facts, seen: Seen) -> TopicSeen:
    """See the package's description; one that only this machine reaches is ``(local)``."""
    return topic(NAME, seen.knocks, _WHERE) if facts.runs else absent(NAME, _WHERE, AT_REST)
