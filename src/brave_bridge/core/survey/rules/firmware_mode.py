"""Is the machine booted the way that the next release needs?"""

from brave_bridge.core.survey.findings import Situation, clear, rule, stop


@rule(
    "firmware-mode",
    "hardware",
    asks="Is the machine booted the way that the next release needs?",
    means="The next release's boot loader cannot be started by this firmware mode.",
    needs="boot",
)
def firmware_mode(situation: Situation):
    boot = situation.facts.boot
    where = situation.facts.where("boot")
    refusing = situation.first_end(
        lambda end: boot.firmware and end.needs.firmware not in ("", boot.firmware)
    )
    if refusing:
        yield stop(
            f"Booted by {boot.firmware.upper()}, {refusing.title} needs "
            f"{refusing.needs.firmware.upper()}",
            where,
            "Change the firmware's boot mode and the partition table, with a way back, first.",
        )
    elif boot.firmware:
        known = {True: ", Secure Boot on", False: ", Secure Boot off"}
        secure = "" if boot.secure_boot is None else known[boot.secure_boot]
        yield clear(f"Booted by {boot.firmware.upper()}{secure}", where)
