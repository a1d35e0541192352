"""Where an rpm system keeps what it knows."""

DATABASES = ("/usr/lib/sysimage/rpm/rpmdb.sqlite", "/var/lib/rpm/rpmdb.sqlite")
