"""Where dpkg and apt keep what they know, on every deb system."""

NAME = "deb"
TOOLS = ("dpkg", "apt-get")
"""The programs that change packages."""

STATUS = "/var/lib/dpkg/status"
ARCHITECTURES = "/var/lib/dpkg/arch"
INFO = "/var/lib/dpkg/info"
LISTS = "/var/lib/apt/lists"
MARKS = "/var/lib/apt/extended_states"
SET_ASIDE = (".dpkg-dist", ".dpkg-new", ".dpkg-old", ".ucf-dist", ".ucf-old")
"""The endings of config files that are put beside the ones in use."""
