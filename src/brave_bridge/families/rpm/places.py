"""Where an rpm system keeps what it knows."""

SET_ASIDE = (".rpmnew", ".rpmsave", ".rpmorig")
LOCKS = "/etc/dnf/plugins/versionlock.list"
LOCKS_CONFIG = "/etc/dnf/plugins/versionlock.conf"
LOCKS_5 = "/etc/dnf/versionlock.toml"
"""The version locks: those of dnf's plug-in, its configuration, and those of dnf5."""

DATABASES = ("/usr/lib/sysimage/rpm/rpmdb.sqlite", "/var/lib/rpm/rpmdb.sqlite")
