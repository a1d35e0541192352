"""Is the release one that the catalogue knows?"""

from brave_bridge.core.survey.findings import Situation, clear, rule, stop


@rule(
    "known-release",
    "release",
    asks="Is the release one that the catalogue knows?",
    means="No supported leg is known for it, so nothing can be planned.",
)
def known_release(situation: Situation):
    identity, line = situation.facts.identity, situation.line
    evidence = f"{situation.facts.where('identity')}: {identity.name or identity.os_id}"
    if line is None:
        yield stop(
            f"The distribution {identity.os_id or 'without a name'} is not in the catalogue",
            evidence,
            "Add a catalogue file for this distribution.",
        )
    elif situation.release is None:
        yield stop(
            f"{line.name} {identity.version_id or identity.codename} is not in the catalogue",
            evidence,
            "Check VERSION_ID and VERSION_CODENAME, or extend the catalogue of this line.",
        )
    else:
        place = f" on {identity.architecture}" if identity.architecture else ""
        yield clear(f"{line.name} {situation.release.title}{place}", evidence)
