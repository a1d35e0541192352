"""Two shores: before and after, with what holds between them, what bends and what breaks."""

from brave_bridge.core.formats.text import counted, plain
from brave_bridge.core.proof.compare import Proof
from brave_bridge.core.proof.difference import Difference
from brave_bridge.drawings.chart import Bar, Chart, Lane, Mark

LEGEND = (("█", "holds"), ("▒", "changed as planned"), ("╳", "breaks: worse than before"))
_MOST_BENT = 8


def proof_picture(proof: Proof) -> Chart:
    """A plank for each point: what is worse first, what holds in one."""
    worse = [d for d in proof.differences if d.verdict == "regression"]
    bent = [d for d in proof.differences if d.verdict == "expected"]
    lanes = [_broken(difference) for difference in worse]
    lanes += [_bent(difference) for difference in bent[:_MOST_BENT]]
    if len(bent) > _MOST_BENT:
        more = tuple(f"expected:{d.subject}" for d in bent[_MOST_BENT:])
        bar = Bar(0.0, 1.0, "light", "plain")
        lanes.append(Lane(more[0], f"and {len(more)} more", (bar,), rows=more))
    if proof.same:
        keys = tuple(f"same:{d.subject}" for d in proof.same)
        whole = Bar(0.0, 1.0, "solid", "clear")
        lanes.append(Lane(keys[0], "as before", (whole,), rows=keys, note=f"{len(keys)} points"))
    return Chart(
        title="As good as before?",
        lanes=tuple(lanes),
        ticks=((0.0, "before"), (1.0, "after")),
        telling=_telling(worse, bent, proof),
        legend=LEGEND,
    )


def _telling(worse: list[Difference], bent: list[Difference], proof: Proof) -> str:
    if worse:
        names = ", ".join(plain(d.subject) for d in worse[:3])
        return f"■ {counted(len(worse), 'point')} worse than before: {names}"
    return f"● as good as before: {len(proof.same)} hold, {len(bent)} changed as planned"


def _broken(difference: Difference) -> Lane:
    bars = (Bar(0.0, 0.42, "solid", "stop"), Bar(0.58, 1.0, "solid", "stop"))
    words = f"{plain(difference.before)} → {plain(difference.after)}"
    marks = (Mark(0.46, "╳", "stop"), Mark(0.54, "╳", "stop"))
    key = f"{difference.verdict}:{difference.subject}"
    return Lane(key, plain(difference.subject), bars, marks, words, "stop")


def _bent(difference: Difference) -> Lane:
    bar = Bar(0.0, 1.0, "light", "plain")
    words = f"{plain(difference.before)} → {plain(difference.after)}"
    key = f"{difference.verdict}:{difference.subject}"
    return Lane(key, plain(difference.subject), (bar,), note=words)
