"""Is every snapshot whole?"""

from brave_bridge.core.survey.findings import Situation, caution, clear, not_applicable, rule


@rule(
    "damaged-way-back",
    "way back",
    asks="Is every snapshot whole?",
    means="A damaged one is not offered for a return.",
    half_way=True,
)
def damaged_way_back(situation: Situation):
    where = "catalogue of snapshots"
    damaged = situation.ways_back.damaged
    if not situation.records_are_readable:
        yield not_applicable("Whether snapshots are whole is not known", where)
        return
    for identifier, fault in damaged[:5]:
        yield caution(
            f"The snapshot {identifier} cannot be returned to",
            fault,
            f"Look at it, then delete it (brave-bridge delete {identifier}).",
        )
    if not damaged:
        yield clear("No snapshot is known to be damaged", where)
