"""Boot entries as loaders' own files name them: GRUB's menu and boot loader entries."""

import re

import msgspec

_MENU_ENTRY = re.compile(r"^\s*(menuentry|submenu)\s+(?:'([^']*)'|\"([^\"]*)\")")
_LINUX = re.compile(r"^\s*linux(?:16|efi)?\s+(\S+)")
_KERNEL = re.compile(r"vmlinu[xz]-(\S+)$")
_MOST = 500


class BootEntry(msgspec.Struct, frozen=True):
    """An entry: its title (within a submenu: both, with ``>`` between) and its kernel's version."""

    title: str
    kernel: str


class Loader(msgspec.Struct, frozen=True):
    """A boot loader and its entries, in its own order.

    ``kind`` is ``grub``, ``systemd-boot``, ``extlinux``, ``board``, or empty where none is known.
    """

    kind: str = ""
    entries: tuple[BootEntry, ...] = ()


def read_grub_menu(text: str) -> list[BootEntry]:
    """The entries of a grub.cfg, in their order."""
    found: list[BootEntry] = []
    submenu = title = ""
    depth = submenu_depth = 0
    for line in text.splitlines():
        if match := _MENU_ENTRY.match(line):
            name = match[2] if match[2] is not None else match[3]
            if match[1] == "submenu":
                submenu, submenu_depth = name, depth
            else:
                title = f"{submenu} > {name}" if submenu else name
        elif (match := _LINUX.match(line)) and title and len(found) < _MOST:
            found.append(BootEntry(title, kernel_of(match[1])))
            title = ""
        depth += line.count("{") - line.count("}") if "${" not in line else 0
        if submenu and depth <= submenu_depth and "}" in line:
            submenu = ""
    return found


def read_loader_entry(text: str) -> BootEntry | None:
    """The entry of a file in loader/entries (Boot Loader Specification, type 1)."""
    values: dict[str, str] = {}
    for line in text.splitlines():
        name, _, value = line.strip().partition(" ")
        values.setdefault(name, value.strip())
    if "linux" not in values and "efi" not in values:
        return None
    kernel = values.get("version") or kernel_of(values.get("linux", ""))
    return BootEntry(values.get("title", kernel), kernel)


def kernel_of(path: str) -> str:
    """The version in a kernel image's name; empty where there is none."""
    match = _KERNEL.search(path)
    return match[1] if match else ""


def entry_for(entries: list[BootEntry], kernel: str) -> str:
    """The title of the first entry that boots a kernel version, recovery entries last."""
    fitting = [entry.title for entry in entries if entry.kernel == kernel]
    return min(fitting, key=lambda title: "recovery" in title.lower(), default="")
