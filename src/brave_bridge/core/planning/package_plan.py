"""What a leg would do to packages: what stands afterwards, and how well each level was met."""

from collections.abc import Mapping

import msgspec

from brave_bridge.core.packages.levels import LevelResult
from brave_bridge.core.packages.package_version import Installed, PackageVersion
from brave_bridge.core.packages.preferences import Preferences


class PackagePlan(msgspec.Struct, frozen=True):
    """The versions that stand after a leg, by slot, and those that stood before."""

    before: Mapping[str, Installed]
    after: Mapping[str, PackageVersion]
    candidates: Mapping[str, PackageVersion]
    levels: tuple[LevelResult, ...]
    preferences: Preferences = Preferences()

    @property
    def upgraded(self) -> list[str]:
        """The slots whose version changes."""
        return [s for s, one in self.before.items() if self._differs(self.after.get(s), one)]

    @staticmethod
    def _differs(after: PackageVersion | None, before: Installed) -> bool:
        return after is not None and after is not before.package

    @property
    def new(self) -> list[str]:
        """The slots that stand only afterwards."""
        return [slot for slot in self.after if slot not in self.before]

    @property
    def removed(self) -> list[str]:
        """The slots that stood only before."""
        return [slot for slot in self.before if slot not in self.after]

    @property
    def kept_back(self) -> list[str]:
        """The slots that stay as they are though there is another candidate."""
        return [
            slot
            for slot, one in self.before.items()
            if self.after.get(slot) is one.package and slot in self.candidates
        ]
