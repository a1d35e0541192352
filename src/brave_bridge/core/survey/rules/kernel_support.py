"""Does the running kernel's series still get fixes?"""

from brave_bridge.core.survey.findings import Situation, caution, clear, not_applicable, rule

SOON_DAYS = 60


@rule(
    "kernel-support",
    "release",
    asks="Does the running kernel's series still get fixes?",
    means="A distribution may carry fixes longer than the kernel's own maintainers; look there.",
    needs="boot",
)
def kernel_support(situation: Situation):
    boot = situation.facts.boot
    where = situation.facts.where("boot")
    ends = situation.line.kernel_ends(boot.series) if situation.line else None
    if ends is None:
        yield not_applicable(f"No end is known for kernel series {boot.series}", where)
        return
    days = (ends - situation.today).days
    evidence = f"{where}: {boot.kernel}; the series ends {ends}"
    if days < 0:
        yield caution(
            f"Kernel series {boot.series} has had no fixes for {-days} days",
            evidence,
            "Install a kernel of a supported series, or cross to a release that has one.",
        )
    elif days <= SOON_DAYS:
        yield caution(
            f"{days} days of fixes left for kernel series {boot.series}",
            evidence,
            "Look which series the next release brings.",
        )
    else:
        yield clear(
            f"Kernel series {boot.series} gets fixes for another {days // 30} months", evidence
        )
