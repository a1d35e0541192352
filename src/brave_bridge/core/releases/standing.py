"""Where a machine stands: on the scale of its line's releases, and on others that a line has."""

import msgspec

RELEASE, EDITION, KERNEL, PROFILE, DATE = "release", "edition", "kernel", "profile", "date"
SCALES = (RELEASE, EDITION, KERNEL, PROFILE, DATE)
"""The scales there are: a release, an edition that a licence sets, a kernel series, the profile
of an image, the date of a rolling archive. A product that stands on a base release is another
one, by the id of its line."""


class Standing(msgspec.Struct, frozen=True):
    """Where a machine stands on one scale, as its own files say; empty where they do not.

    ``name`` is another name of the same: a release's codename.
    """

    scale: str
    value: str
    name: str = ""

    @property
    def words(self) -> str:
        """It as a person says it."""
        return f"{self.value} {self.name}".strip() or f"no known {self.scale}"


def stop_name(scale: str, key: str) -> str:
    """What names a stop of a scale beside all others: ``13`` a release, ``edition:crew`` not."""
    return key if scale == RELEASE else f"{scale}:{key}"


def scale_of(name: str) -> str:
    """The scale that a stop's name speaks of: one of SCALES, or the id of a product's line."""
    scale, colon, _ = name.partition(":")
    return scale if colon else RELEASE
