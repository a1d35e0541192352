"""Where an alpm system keeps what it knows."""

DATABASE = "/var/lib/pacman/local"
CONFIG = "/etc/pacman.conf"
VERSION_FILE = "/var/lib/pacman/local/ALPM_DB_VERSION"
SET_ASIDE = (".pacnew", ".pacsave", ".pacorig")
"""The endings of config files that are put beside the ones in use."""
