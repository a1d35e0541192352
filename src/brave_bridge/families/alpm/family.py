"""The family of systems whose packages libalpm keeps; its machines are surveyed."""

from brave_bridge.core.survey.package_manager import PackageManager
from brave_bridge.families.alpm.places import SET_ASIDE, VERSION_FILE
from brave_bridge.families.family import Family


class AlpmFamily(Family):
    """See Family."""

    name = "alpm"
    databases = (VERSION_FILE,)
    settings = ("var/lib/pacman/local",)
    tells_of_packages_alone = True
    manager = PackageManager(name="pacman", tools=("pacman",), set_aside=SET_ASIDE)

    @property
    def reading(self):
        """See Family."""
        from brave_bridge.families.alpm.survey import READING

        return READING

    @property
    def kernel_holding(self):
        """See Family."""
        from brave_bridge.families.alpm.kernel_hold import AlpmKernelHolding

        return AlpmKernelHolding()


FAMILY = AlpmFamily()
