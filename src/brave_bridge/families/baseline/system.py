"""What the system is: release, build, kernel, command line, boot entry, edition."""

from brave_bridge.core.boot.entries import entry_for
from brave_bridge.core.boot.grub_trial import without_trial
from brave_bridge.core.licensed.system import LicensedSystem
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.families.baseline.reading import topic
from brave_bridge.machines.queries import Links, Seen

NAME = "system"
_COMMAND_LINE_SIZE = 2048
"""As long as a kernel takes it (Documentation/admin-guide/kernel-parameters)."""

_TARGETS = ("/etc/systemd/system/default.target",)
QUERIES = (Links(_TARGETS),)


def read(facts: Facts, seen: Seen) -> TopicSeen:
    """See the package's description."""
    who, boot, image, licensed = facts.identity, facts.boot, facts.image, facts.licensed
    target = seen.links.get(_TARGETS[0], "").rpartition("/")[2]
    values = {
        "release": f"{who.version_id} {who.codename}".strip(),
        "build": facts.build,
        "profile": image.image.profile if image else "",
        "kernel": facts.kernel_that_came_up,
        "command line": without_trial(boot.command_line),
        "boot entry": entry_for(list(facts.loader.entries), facts.kernel_that_came_up),
        "edition": facts.licence.edition if facts.licence else who.edition,
        "licence ends": facts.licence.ends if facts.licence else "",
        **(_licence(licensed) if licensed else {}),
        "default target": target,
        "firmware": boot.firmware,
        "language": facts.locale,
    }
    told = {name: value for name, value in values.items() if value}
    return topic(NAME, told, "/etc, /proc", longest=_COMMAND_LINE_SIZE)


def _licence(licensed: LicensedSystem) -> dict[str, str]:
    licence = licensed.licence
    return {
        "licence channel": licence.channel,
        "licence key": licence.shown or "none",
        "activation": licence.activation,
        "trial mark": "there" if licence.trial else "gone",
    }
