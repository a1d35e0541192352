"""Does the machine's own table of releases know the next one?"""

from brave_bridge.core.survey.findings import Situation, caution, clear, not_applicable, rule


@rule(
    "release-table",
    "updates",
    asks="Does the machine's own table of releases know the next one?",
    means="Tools on the machine that look into it do not know where the leg leads.",
    needs="dates",
)
def release_table(situation: Situation):
    known = {dates.series for dates in situation.facts.release_dates}
    where = situation.facts.where("dates")
    manager = situation.manager
    if situation.end is None or not known:
        yield not_applicable("No leg is chosen, or the table is empty", where)
    elif situation.end.codename in known:
        yield clear(f"The machine's table of releases knows {situation.end.title}", where)
    else:
        yield caution(
            f"The machine's table of releases does not know {situation.end.title}",
            f"{where}: {len(known)} releases",
            f"Bring the package {manager.dates_package} up to date.",
            fix=((*manager.upgrade, manager.dates_package),) if manager.upgrade else (),
        )
