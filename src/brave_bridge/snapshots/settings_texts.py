"""What goes into an archive of the settings that is no file of the system."""

from brave_bridge.core.survey.facts import Facts


def archive_texts(facts: Facts) -> dict[str, str]:
    """What is not a file of the system: the selections, and where the machine stood."""
    lines = [f"{p.name}:{p.architecture}\t{p.version}\t{p.want}\n" for p in facts.installed]
    who = facts.identity
    told = {
        "machine": facts.machine,
        "taken at": facts.taken_at,
        "system": who.name,
        "kernel": facts.boot.kernel,
        "command line": facts.boot.command_line,
        "firmware": facts.boot.firmware,
    }
    mounts = [f"{m.device} {m.path} {m.type} {m.options}\n" for m in facts.mounts]
    return {
        "brave-bridge/packages.txt": "".join(lines),
        "brave-bridge/machine.txt": "".join(f"{name}: {v}\n" for name, v in told.items()),
        "brave-bridge/mounts.txt": "".join(mounts),
    }
