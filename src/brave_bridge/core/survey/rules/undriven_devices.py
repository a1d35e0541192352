"""Is there hardware that only a newer release drives?"""

from fnmatch import fnmatchcase

from brave_bridge.core.releases.catalogue import Release
from brave_bridge.core.survey.findings import Situation, caution, clear, rule


@rule(
    "undriven-devices",
    "hardware",
    asks="Is there hardware that only a newer release drives?",
    means="This is a reason to go: the release ahead brings a kernel that knows the device.",
    needs="hardware",
)
def undriven_devices(situation: Situation):
    idle = [device for device in situation.facts.hardware.devices if not device.driver]
    known = [
        (device, release, what)
        for device in idle
        for release in _later(situation)
        if (what := _knows(release, device.modalias))
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


def _later(situation: Situation) -> tuple[Release, ...]:
    """The releases after the present one, in their order."""
    line, here = situation.line, situation.release
    if line is None or here not in line.releases:
        return ()
    return line.releases[line.releases.index(here) + 1 :]


def _knows(release: Release, modalias: str) -> str:
    """What a device is, if the release is the first to drive it."""
    return next((d.what for d in release.knows if fnmatchcase(modalias, d.modalias)), "")
