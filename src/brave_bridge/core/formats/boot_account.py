"""What a system writes down at its boot, for whoever looks at it while it does not run.

The account is written by a small shell script that a unit starts behind all others: the system
itself says what came up. It needs nothing but a POSIX shell.
"""

import msgspec

from brave_bridge.core.formats.decoding import decode_json

ACCOUNT = "/var/lib/brave-bridge/came-up.json"
SCRIPT = "/var/lib/brave-bridge/came-up.sh"
LARGEST = 64 * 1024

SCRIPT_TEXT = f"""#!/bin/sh
# Placed by Brave Bridge: writes down what came up, once a boot, and is taken away again.
umask 077
clean() {{ tr -cd 'A-Za-z0-9._:+@~ -' | cut -c1-200; }}
one() {{ clean < "$1" 2>/dev/null; }}
release=$(. /etc/os-release 2>/dev/null; printf '%s' "$VERSION_ID" | clean)
began=$(cut -d')' -f2 /proc/1/stat 2>/dev/null | cut -d' ' -f21)
failed=$(systemctl --failed --plain --no-legend --full 2>/dev/null | cut -d' ' -f1 |
  tr '\\n' ' ' | clean)
rescue=no
for unit in emergency.service rescue.service; do
  systemctl is-active --quiet "$unit" 2>/dev/null && rescue=yes
done
cat > {ACCOUNT}.new <<END
{{"boot_id": "$(one /proc/sys/kernel/random/boot_id)", "began": "$began",
 "kernel": "$(uname -r | clean)", "release": "$release", "failed": "$failed",
 "rescue": "$rescue", "at": "$(date -u +%Y-%m-%dT%H:%M:%S+00:00)"}}
END
mv {ACCOUNT}.new {ACCOUNT}
"""


class BootAccount(msgspec.Struct, frozen=True):
    """A boot as the system itself told of it. ``failed`` are units, ``at`` is ISO 8601."""

    boot_id: str
    kernel: str
    release: str = ""
    failed: str = ""
    rescue: str = "no"
    at: str = ""
    began: str = ""

    @property
    def failed_units(self) -> tuple[str, ...]:
        """The units that had failed when it was written."""
        return tuple(self.failed.split())


def read_account(content: bytes) -> BootAccount | None:
    """The account in a file; None where it is none."""
    try:
        return decode_json(content, BootAccount)
    except msgspec.DecodeError:
        return None
