"""Would the session that does this end with the link?"""

from brave_bridge.core.survey.findings import Situation, caution, clear, not_applicable, rule


@rule(
    "remote-session",
    "people",
    asks="Would the session that does this end with the link?",
    means="The crossing goes on without the session; but a machine whose network does not come "
    "back can then be reached by nobody.",
)
def remote_session(situation: Situation):
    link = situation.link
    if not situation.facts.runs:
        yield not_applicable("Nobody is logged in to a tree", "the system is mounted")
    elif link is None:
        yield clear("You are not here over a link", "SSH_CONNECTION is not set")
    elif link.kept:
        yield clear(f"You are here over {link.over}, kept by {link.kept}", f"from {link.host}")
    else:
        yield caution(
            f"You are here over {link.over} from {link.host}",
            "SSH_CONNECTION is set; no terminal multiplexer around it",
            "Have a second way to the machine at hand: a console, or somebody beside it.",
        )
