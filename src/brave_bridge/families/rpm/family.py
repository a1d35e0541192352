"""The family of systems whose packages are rpm archives; its machines are surveyed."""

from brave_bridge.core.survey.package_manager import PackageManager
from brave_bridge.families.family import Family
from brave_bridge.families.rpm.places import DATABASES, SET_ASIDE


class RpmFamily(Family):
    """See Family."""

    name = "rpm"
    databases = DATABASES
    settings = ("var/lib/dnf",)
    tells_of_packages_alone = True
    manager = PackageManager(
        name="dnf",
        tools=("rpm", "dnf"),
        clean=(("dnf", "clean", "all"),),
        set_aside=SET_ASIDE,
    )

    @property
    def reading(self):
        """See Family."""
        from brave_bridge.families.rpm.survey import READING

        return READING

    @property
    def kernel_holding(self):
        """See Family."""
        from brave_bridge.families.rpm.kernel_hold import RpmKernelHolding

        return RpmKernelHolding()


FAMILY = RpmFamily()
