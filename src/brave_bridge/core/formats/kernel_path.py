"""Which kernel a file is the image of, by where it stands."""

import re

_IMAGE = re.compile(
    r"/?(?:boot/vmlinu[xz]-(?P<boot>[^/\s]+)|(?:usr/)?lib/modules/(?P<modules>[^/\s]+)/vmlinu[xz])"
)

MODULE_FOLDERS = ("/usr/lib/modules", "/lib/modules")
"""Where the modules of each kernel stand, in a folder named by its version."""


def kernel_in(path: str) -> str:
    """The version of the kernel that a path is the image of; empty where it is none."""
    found = _IMAGE.fullmatch(path)
    return (found["boot"] or found["modules"]) if found else ""
