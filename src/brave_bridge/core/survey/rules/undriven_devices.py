"""Is there hardware that only a newer release drives?"""

from brave_bridge.core.survey.findings import Situation, caution, clear, rule


@rule(
    "undriven-devices",
    "hardware",
    asks="Is there hardware that only a newer release drives?",
    means="This is a reason to go: the release ahead brings a kernel that knows the device.",
    needs="hardware",
)
def undriven_devices(situation: Situation):
    line = situation.line
    known = [
        (device, *found)
        for device in situation.facts.hardware.devices
        if not device.driver and line
        if (found := line.first_to_drive(device.modalias, situation.release))
    ]
    if known:
        device, release, what = known[0]
        yield caution(
            f"{what} has no driver here; {release.title} has one",
            f"/sys/bus: {device.path} {device.modalias}, no driver bound",
            f"Go to {release.title}.",
        )
    else:
        yield clear("No device waits for a newer kernel", situation.facts.where("hardware"))
