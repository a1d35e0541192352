"""The system of before that a system itself keeps: the other slot, or what an upgrade left."""

from brave_bridge.core.images import system as images
from brave_bridge.core.licensed import system as licensed
from brave_bridge.core.licensed.system import KeptSystem
from brave_bridge.core.survey.facts import Facts


def kept_by(facts: Facts) -> KeptSystem | None:
    """What a machine could go back to by its own means; None where it keeps nothing.

    A slot is kept without an end, until the next image is written over it.
    """
    if facts.licensed:
        return facts.licensed.kept
    other = facts.image.other if facts.image else None
    if other is None or other.state != images.GOOD:
        return None
    return KeptSystem(version=other.version, build=other.build, until="", made="")


def way_to_it(facts: Facts) -> tuple[str, ...]:
    """The command after which the next start takes it."""
    if facts.image and facts.image.other:
        return (images.TOOL, "default", facts.image.other.name)
    return (licensed.TOOL, "go-back")


def runs(facts: Facts) -> tuple[str, str]:
    """The version and the build that run, in the words of such systems."""
    if facts.image:
        return facts.image.image.version, facts.image.image.build
    if facts.licensed:
        return facts.licensed.system.version, facts.licensed.system.build
    return facts.identity.version_id, facts.build
