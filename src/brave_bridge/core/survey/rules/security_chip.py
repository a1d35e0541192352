"""Is the security chip there that the next release needs?"""

from brave_bridge.core.survey.findings import Situation, clear, not_applicable, rule, stop


@rule(
    "security-chip",
    "hardware",
    asks="Is the security chip there that the next release needs?",
    means="The next release refuses to be installed, or to unlock its disks, without it.",
    needs="hardware",
    overrule=True,
)
def security_chip(situation: Situation):
    chip = situation.facts.hardware.security_chip
    refusing = situation.first_end(lambda end: end.needs.security_chip)
    if chip:
        yield clear(f"Security chip: {chip}", "/sys/class/tpm")
    elif refusing:
        yield stop(
            f"No security chip is seen, {refusing.title} needs one",
            "/sys/class/tpm: empty",
            refusing.needs.with_price("Switch it on in the firmware's settings."),
        )
    else:
        yield not_applicable("No security chip, and none is needed", "/sys/class/tpm: empty")
