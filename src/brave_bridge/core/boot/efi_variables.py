"""EFI's boot variables as efivarfs has them: bytes in, bytes out.

Follows the UEFI specification, 3.1 (boot manager) and 3.1.3 (load options). A file of efivarfs
is four bytes of attributes with the variable's content behind.
"""

import re
import struct
from collections.abc import Mapping

import msgspec

GUID = "8be4df61-93ca-11d2-aa0d-00e098032b8c"
"""The vendor of the variables that the specification names."""

KEPT = 7
"""The attributes of a variable that lasts and that the firmware reads: NV, BS and RT."""

_ACTIVE = 1
_OPTION = re.compile(rf"^Boot([0-9A-F]{{4}})-{GUID}$")


class DamagedVariable(ValueError):
    """The bytes are no such variable; the message says why."""


class LoadOption(msgspec.Struct, frozen=True):
    """What the firmware can start. ``path`` is the device path, ``data`` what is handed over.

    ``attributes`` are those of the load option, not of the variable.
    """

    number: int
    title: str
    path: bytes
    data: bytes = b""
    attributes: int = _ACTIVE

    @property
    def is_active(self) -> bool:
        """Whether the firmware tries it in its order."""
        return bool(self.attributes & _ACTIVE)

    @property
    def file(self) -> str:
        r"""The file that it starts, with ``\`` between folders; empty where it names none."""
        for kind, subtype, body in _nodes(self.path):
            if (kind, subtype) == (4, 4):
                return body.decode("utf-16-le", "replace").rstrip("\0")
        return ""


class BootVariables(msgspec.Struct, frozen=True):
    """What the firmware boots: its options, in which order, which next alone, which it did."""

    options: tuple[LoadOption, ...] = ()
    order: tuple[int, ...] = ()
    next: int | None = None
    current: int | None = None

    def option(self, number: int | None) -> LoadOption | None:
        """The option of a number."""
        return next((one for one in self.options if one.number == number), None)


def read_boot_variables(files: Mapping[str, bytes]) -> BootVariables:
    """What the files of efivarfs, by name, say; what is damaged among options is left out."""
    options = []
    for name in sorted(files):
        if match := _OPTION.match(name):
            try:
                options.append(read_option(int(match[1], 16), files[name]))
            except DamagedVariable:
                continue
    order = _numbers(files, "BootOrder")
    following, current = _numbers(files, "BootNext"), _numbers(files, "BootCurrent")
    return BootVariables(
        tuple(options),
        order,
        following[0] if following else None,
        current[0] if current else None,
    )


def file_name(variable: str) -> str:
    """The name of a variable's file."""
    return f"{variable}-{GUID}"


def _numbers(files: Mapping[str, bytes], variable: str) -> tuple[int, ...]:
    content = files.get(file_name(variable), b"")[4:]
    return struct.unpack(f"<{len(content) // 2}H", content[: len(content) // 2 * 2])


def numbers_written(numbers: tuple[int, ...]) -> bytes:
    """The file of BootOrder, or of BootNext."""
    return struct.pack(f"<I{len(numbers)}H", KEPT, *numbers)


def read_option(number: int, content: bytes) -> LoadOption:
    """The load option in a variable's file."""
    if len(content) < 10:
        raise DamagedVariable(f"Boot{number:04X} has {len(content)} bytes")
    attributes, length = struct.unpack_from("<IH", content, 4)
    end = 10
    while content[end : end + 2] != b"\0\0":
        end += 2
        if end + 2 > len(content):
            raise DamagedVariable(f"the title of Boot{number:04X} has no end")
    begin = end + 2
    if begin + length > len(content):
        raise DamagedVariable(f"the device path of Boot{number:04X} is cut off")
    title = content[10:end].decode("utf-16-le", "surrogatepass")
    path, data = content[begin : begin + length], content[begin + length :]
    return LoadOption(number, title, path, data, attributes)


def option_written(option: LoadOption) -> bytes:
    """The file of a load option."""
    head = struct.pack("<IIH", KEPT, option.attributes, len(option.path))
    title = option.title.encode("utf-16-le", "surrogatepass") + b"\0\0"
    return head + title + option.path + option.data


def _nodes(path: bytes) -> list[tuple[int, int, bytes]]:
    """The nodes of a device path (UEFI, 10.2): type, subtype, content."""
    found, place = [], 0
    while place + 4 <= len(path):
        kind, subtype, length = struct.unpack_from("<BBH", path, place)
        if length < 4 or kind == 0x7F:
            break
        found.append((kind, subtype, path[place + 4 : place + length]))
        place += length
    return found
