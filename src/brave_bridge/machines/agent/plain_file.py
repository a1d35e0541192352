"""Putting the agent together into one file of plain Python.

``python -m brave_bridge.machines.agent.plain_file`` prints it.
"""

from brave_bridge.machines.plain.build import one_file

MODULES = (
    "core.formats.packing",
    "core.formats.text",
    "machines.opening.kernel",
    "machines.opening.removal",
    "machines.opening.beneath",
    "machines.opening.named",
    "machines.opening.trust",
    "machines.rooted",
    "machines.queries",
    "machines.reach",
    "machines.gathering",
    "machines.jobs",
    "machines.port",
    "machines.kinds",
    "machines.subvolumes",
    "machines.disk_speed",
    "machines.folder_state",
    "machines.entering",
    "machines.folder",
    "core.survey.knock",
    "machines.knocking",
    "machines.questions",
    "machines.agent.wire",
    "machines.agent.serving",
    "machines.agent.plain_agent",
)

_LAST = """from brave_bridge.machines.agent import plain_agent

if __name__ == "__main__":
    sys.exit(plain_agent.main(sys.argv[1:]))
"""


def agent_file() -> str:
    """The text of the file: ``python3 FILE ROOT NAME`` serves a machine over its own pipes."""
    about = "The agent of Brave Bridge: serves the files, jobs and state folder of a machine."
    return one_file(about, MODULES, _LAST)


if __name__ == "__main__":
    print(agent_file(), end="")
