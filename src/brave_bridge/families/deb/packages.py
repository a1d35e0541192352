"""What is known of a deb machine's packages, and of those that its sources offer."""

from brave_bridge.families.deb.migrations import migrations_missed
from brave_bridge.families.deb.new_versions import with_new_versions
from brave_bridge.families.deb.services import services_of
from brave_bridge.families.deb.shipped import (
    file_of_now,
    file_to_come,
    module_aliases,
    package_file,
)
from brave_bridge.families.deb.universe import architectures_of, universe_after, universe_of


class DebPackages:
    """See Packages; each is told where it stands."""

    universe = staticmethod(universe_of)
    universe_after = staticmethod(universe_after)
    services = staticmethod(services_of)
    missed_migrations = staticmethod(migrations_missed)
    architectures = staticmethod(architectures_of)
    file_to_come = staticmethod(file_to_come)
    file_of_now = staticmethod(file_of_now)
    module_aliases = staticmethod(module_aliases)
    with_new_versions = staticmethod(with_new_versions)
    package_file = staticmethod(package_file)
