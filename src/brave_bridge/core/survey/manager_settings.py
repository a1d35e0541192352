"""What an administrator has told the package manager for all of its calls, and a leg minds."""

import msgspec


class SettingAgainst(msgspec.Struct, frozen=True):
    """A setting that no plan has and that counts in none of our calls: ``why``, and where it is."""

    name: str
    where: str
    why: str


class SettingNaming(msgspec.Struct, frozen=True):
    """A line of settings that names the present release: behind a leg it is about one of before."""

    text: str
    where: str


class PreferredRelease(msgspec.Struct, frozen=True):
    """A release that is preferred to all others, by any of its names, and where that is said."""

    name: str
    setting: str
    where: str
