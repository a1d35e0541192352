"""Is every source checked against a signature?"""

from brave_bridge.core.survey.findings import Situation, caution, clear, rule, stop


@rule(
    "unsigned-sources",
    "sources",
    asks="Is every source checked against a signature?",
    means="Whoever can change what travels over the link can put anything on this machine.",
    needs="sources",
)
def unsigned_sources(situation: Situation):
    sources = situation.facts.sources
    where = situation.facts.where("sources")
    unsigned = [s for s in sources if s.trusted_without_signature]
    if not sources:
        yield stop(
            "There is no active package source",
            where or "no active entry",
            "Write the distribution's sources.",
            meaning="Neither updates nor the next release can be reached.",
        )
    elif unsigned:
        yield caution(
            f"Signatures are switched off for {unsigned[0].uris[0] or unsigned[0].suites[0]}",
            "; ".join(f"{s.path}:{s.line}" for s in unsigned[:4]),
            "Give the source its key, and take the option out.",
        )
    else:
        yield clear("Every source is checked against a signature", where)
