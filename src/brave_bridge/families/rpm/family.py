"""The family of systems whose packages are rpm archives; its machines are surveyed."""

from brave_bridge.core.survey.package_manager import PackageManager
from brave_bridge.families.family import Family


class RpmFamily(Family):
    """See Family."""

    name = "rpm"
    databases = ("/usr/lib/sysimage/rpm/rpmdb.sqlite", "/var/lib/rpm/rpmdb.sqlite")
    settings = ("var/lib/dnf",)
    manager = PackageManager(name="dnf", tools=("rpm", "dnf"), clean=(("dnf", "clean", "all"),))

    @property
    def reading(self):
        """See Family."""
        from brave_bridge.families.rpm.survey import RpmReading

        return RpmReading()


FAMILY = RpmFamily()
