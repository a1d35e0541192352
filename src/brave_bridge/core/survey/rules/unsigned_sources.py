"""Is every source checked against a signature?"""

from collections.abc import Iterable

from brave_bridge.core.survey.findings import Finding, Rule, Situation, Verdict


def judge(situation: Situation) -> Iterable[Finding]:
    sources = situation.facts.sources
    unsigned = [s for s in sources if s.trusted_without_signature]
    if not sources:
        yield Finding(
            "unsigned-sources",
            Verdict.STOP,
            "There is no active package source",
            situation.facts.where("sources") or "/etc/apt: no active entry",
            "Neither updates nor the next release can be reached.",
            "Write the distribution's sources.",
        )
    elif unsigned:
        yield Finding(
            "unsigned-sources",
            Verdict.CAUTION,
            f"Signatures are switched off for {unsigned[0].uris[0]}",
            "; ".join(f"{s.path}:{s.line} trusted=yes" for s in unsigned[:4]),
            "Whoever stands between this machine and the source decides what is installed.",
            "Remove trusted=yes and install the source's key.",
        )
    else:
        yield Finding(
            "unsigned-sources",
            Verdict.CLEAR,
            "Every source is checked against a signature",
            situation.facts.where("sources"),
        )


RULE = Rule("unsigned-sources", "every source is signed", judge, needs="sources")
