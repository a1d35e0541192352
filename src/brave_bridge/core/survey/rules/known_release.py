"""Is the release one that the catalogue knows?"""

from collections.abc import Iterable

from brave_bridge.core.survey.findings import Finding, Rule, Situation, Verdict


def judge(situation: Situation) -> Iterable[Finding]:
    identity = situation.facts.identity
    evidence = f"{situation.facts.where('identity')}: {identity.name or identity.os_id}"
    if situation.line is None:
        yield Finding(
            "known-release",
            Verdict.STOP,
            f"The distribution {identity.os_id or 'without a name'} is not in the catalogue",
            evidence,
            "No supported leg is known for it, so nothing can be planned.",
            "Add a catalogue file for this distribution.",
        )
    elif situation.release is None:
        yield Finding(
            "known-release",
            Verdict.STOP,
            f"{situation.line.name} {identity.version_id or identity.codename} "
            "is not in the catalogue",
            evidence,
            "The legs that start at this release are not known.",
            f"Check VERSION_ID and VERSION_CODENAME, or extend the catalogue of "
            f"{situation.line.name}.",
        )
    else:
        yield Finding(
            "known-release",
            Verdict.CLEAR,
            f"{situation.line.name} {situation.release.title}"
            + (f" on {identity.architecture}" if identity.architecture else ""),
            evidence,
        )


RULE = Rule("known-release", "the release is one the catalogue knows", judge)
