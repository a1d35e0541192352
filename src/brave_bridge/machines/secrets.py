"""The credentials in a machine's source files: read where they are needed, kept nowhere else.

All above sees addresses without them. What is written to the machine gets them again, from
its source files and from a file that only root can read.
"""

import contextlib

import msgspec

from brave_bridge.core.formats.decoding import decode_json
from brave_bridge.core.formats.hidden import addresses_with_credentials, is_hidden, revealed
from brave_bridge.machines.port import STATE_FOLDER, Machine, MachineError

_FILE = f"{STATE_FOLDER}/credentials.json"
_SOURCES = (
    "/etc/apt/sources.list",
    "/etc/apt/sources.list.d/*",
    "/etc/yum.repos.d/*",
    "/etc/pacman.conf",
)
_LIMIT = 4_000_000


def known_credentials(machine: Machine) -> list[str]:
    """The addresses with credentials that the machine's sources have, or had."""
    found: dict[str, None] = {}
    for path in (path for pattern in _SOURCES for path in machine.files.matching(pattern)):
        content = machine.files.read_if_there(path, _LIMIT) or b""
        found.update(dict.fromkeys(addresses_with_credentials(content.decode("utf-8", "replace"))))
    kept = machine.files.read_if_there(_FILE, _LIMIT)
    if kept:
        with contextlib.suppress(msgspec.DecodeError):
            found.update(dict.fromkeys(decode_json(kept, list[str])))
    return [address for address in found if not is_hidden(address)]


def with_credentials(machine: Machine, text: str) -> str:
    """A text as it is to be written to the machine; MachineError where a password is not known.

    What is known is kept first: a source file that is about to change may be all that has it.
    """
    if not any(is_hidden(address) for address in addresses_with_credentials(text)):
        return text
    known = known_credentials(machine)
    try:
        whole = revealed(text, known)
    except ValueError as error:
        raise MachineError(
            "writing sources", machine.name, str(error), "give it again in the source file"
        ) from error
    machine.files.write(_FILE, msgspec.json.encode(known), 0o600)
    return whole


def login_for(machine: Machine, address: str) -> tuple[str, str] | None:
    """Name and password for an address whose credentials were hidden; None where it has none."""
    if not is_hidden(address):
        return None
    try:
        userinfo = revealed(address, known_credentials(machine)).partition("://")[2]
    except ValueError:
        return None
    name, _, password = userinfo.partition("@")[0].partition(":")
    return name, password
