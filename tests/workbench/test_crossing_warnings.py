"""What the Crossing page tells of outputs: causes stay, however many warnings come behind them."""

import msgspec

from brave_bridge.runner.briefs import UpdateBrief, encode_brief
from brave_bridge.store.rows import EntryRow, ProcedureRow
from brave_bridge.workbench.pages.crossing import progress_of
from brave_bridge.workbench.record import Live

AT = "2026-11-29T10:00:00+00:00"


def printed(seq: int, output: str) -> EntryRow:
    reply = msgspec.json.encode({"output": output})
    return EntryRow("p", seq, "Run", "Stage two", b"{}", AT, AT, reply, False, 100.0, "", "")


def test_a_cause_is_not_pushed_out_by_warnings():
    harmless = [f"dpkg: warning: unable to delete old directory '/opt/{n}'" for n in range(9)]
    cause = "dpkg: error processing package tide (--configure):\n script gave 1"
    earlier, latest = printed(0, "E: an earlier one"), printed(1, "\n".join([*harmless, cause]))
    brief = encode_brief(UpdateBrief("deb"))
    row = ProcedureRow("p", "crossing", "t", brief, "failed", AT, AT, None, False, False)
    told = progress_of(Live(row, (earlier, latest), (), at_work=False), 1).warnings
    assert told[0].startswith("dpkg: error processing package tide (--configure): script gave 1")
    assert len(told) == 6
