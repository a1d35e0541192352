"""Can /usr be merged on the way, where the next release wants it so?"""

from brave_bridge.core.formats.text import shortened
from brave_bridge.core.survey.findings import Situation, caution, clear, not_applicable, rule, stop


@rule(
    "usr-layout",
    "leg",
    asks="Can /usr be merged on the way, where the next release wants it so?",
    means="The package that merges it ends with an error, and the leg stands still part-way.",
    overrule=True,
)
def usr_layout(situation: Situation):
    layout = situation.facts.usr_layout
    end = situation.first_end(lambda end: end.needs.merged_usr)
    apart = ", ".join(layout.apart)
    if end is None:
        yield not_applicable("No release ahead asks for a merged /usr", "catalogue")
    elif not layout.apart:
        yield clear("/bin, /sbin and /lib lead into /usr", "/")
    elif situation.facts.root_type == "overlay":
        yield stop(
            f"{apart} are folders of their own, and the root is an overlay",
            "/proc/mounts: / is of type overlay",
            f"{end.title} merges them into /usr, which cannot be done on an overlay: do it in the "
            "image below, or have it made anew.",
        )
    elif layout.twice:
        yield stop(
            "Files stand in a top folder and otherwise in /usr",
            ", ".join(shortened(layout.twice, 5)),
            "Keep one of each: they cannot be merged while they differ.",
        )
    else:
        yield caution(
            f"{apart} are folders of their own",
            "/",
            f"{end.title} merges them into /usr on the way: look that nothing of your own stands "
            "in both.",
        )
