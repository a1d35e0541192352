"""The family of systems whose packages are deb archives: Debian and its kin."""

from brave_bridge.core.survey.package_manager import PackageManager
from brave_bridge.families.deb.places import NAME, SET_ASIDE, STATUS, TOOLS
from brave_bridge.families.family import Family

_MEND = (("apt-get", "--yes", "--fix-broken", "install"),)


class DebFamily(Family):
    """See Family; apt and dpkg do the work."""

    name = NAME
    databases = (STATUS,)
    settings = (
        "usr/share/keyrings",
        "var/lib/apt/extended_states",
        "var/lib/dpkg/status",
        "var/lib/ucf",
    )
    tells_of_packages_alone = True
    manager = PackageManager(
        name="apt",
        tools=TOOLS,
        refresh=(("apt-get", "update"),),
        clean=(("apt-get", "clean"),),
        finish=(("dpkg", "--configure", "--pending"), *_MEND),
        mend=_MEND,
        let_go=("apt-mark", "unhold"),
        upgrade=("apt-get", "--yes", "--only-upgrade", "install"),
        dates_package="distro-info-data",
        indices="/var/lib/apt/lists",
        keys="/etc/apt/trusted.gpg.d/",
        old_keys="/etc/apt/trusted.gpg",
        set_aside=SET_ASIDE,
    )

    @property
    def reading(self):
        """See Family."""
        from brave_bridge.families.deb.survey import DebReading

        return DebReading()

    @property
    def commands(self):
        """See Family."""
        from brave_bridge.families.deb.commands import DebCommands

        return DebCommands()

    @property
    def planner(self):
        """See Family."""
        from brave_bridge.families.deb.planning import DebPlanner

        return DebPlanner()

    @property
    def procedure(self):
        """See Family."""
        from brave_bridge.core.crossing.two_stages import TwoStages

        return TwoStages(self.commands)

    @property
    def guard(self):
        """See Family."""
        from brave_bridge.families.deb.service_guard import PolicyGuard

        return PolicyGuard()

    @property
    def packages(self):
        """See Family."""
        from brave_bridge.families.deb.packages import DebPackages

        return DebPackages()

    @property
    def kernel_holding(self):
        """See Family."""
        from brave_bridge.families.deb.kernel_hold import DebKernelHolding

        return DebKernelHolding()

    @property
    def sources(self):
        """See Family."""
        from brave_bridge.families.deb.waiting import DebSources

        return DebSources()


FAMILY = DebFamily()
