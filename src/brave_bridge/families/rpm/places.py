"""Where an rpm system keeps what it knows."""

SET_ASIDE = (".rpmnew", ".rpmsave", ".rpmorig")
DATABASES = ("/usr/lib/sysimage/rpm/rpmdb.sqlite", "/var/lib/rpm/rpmdb.sqlite")
