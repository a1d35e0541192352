"""A rendering of a kernel tree's make on a stand-in: it configures, builds and installs for show.

It follows what kbuild promises (the kernel's Documentation/kbuild/): ``olddefconfig`` gives every
option of the tree a value, ``install`` hands the image to the system.
"""

import re
from pathlib import Path

from brave_bridge.core.kconfig.conditions import BadCondition, Condition
from brave_bridge.core.kconfig.dotconfig import read_config, with_options
from brave_bridge.core.kconfig.language import Kconfig, Option
from brave_bridge.core.kconfig.makefiles import objects_in

_NUMBER = re.compile(r"^(VERSION|PATCHLEVEL|SUBLEVEL|EXTRAVERSION)[ \t]*=[ \t]*(.*)$", re.MULTILINE)


def make(root: Path, words: list[str]) -> int:
    """Carry out ``make -C TREE …``; its exit code."""
    tree = root / words[words.index("-C") + 1].lstrip("/") if "-C" in words else root
    if not (tree / "Kconfig").is_file() or not (tree / "Makefile").is_file():
        print("make: *** No targets specified and no makefile found.  Stop.")
        return 2
    release = _release(tree)
    if "olddefconfig" in words:
        return _configure(tree)
    if "kernelrelease" in words:
        print(release)
    elif "modules_install" in words:
        _write(root, f"usr/lib/modules/{release}/modules.builtin.modinfo", "")
        print(f"  DEPMOD  /lib/modules/{release}")
    elif "install" in words:
        _install(root, tree, release)
    else:
        return _build(tree)
    return 0


def _release(tree: Path) -> str:
    found = dict(_NUMBER.findall((tree / "Makefile").read_text()))
    numbers = (found.get(name, "0").strip() for name in ("VERSION", "PATCHLEVEL", "SUBLEVEL"))
    return ".".join(numbers) + found.get("EXTRAVERSION", "").strip()


def _configure(tree: Path) -> int:
    place = tree / ".config"
    text = place.read_text() if place.exists() else ""
    kconfig = Kconfig("Kconfig", {"SRCARCH": "x86"})
    while kconfig.missing:
        paths = {name: tree / name for name in kconfig.missing}
        kconfig.give({n: p.read_text() if p.is_file() else None for n, p in paths.items()})
    given = read_config(text)
    values: dict[str, str] = {}
    for option in kconfig.options.values():
        values[option.name] = _value(option, given, values)
    place.write_text(with_options("# Automatically generated file; DO NOT EDIT.\n", values))
    print("#\n# configuration written to .config\n#")
    return 0


def _value(option: Option, given: dict[str, str], values: dict[str, str]) -> str:
    """Its value where its conditions hold, else its first default, else off."""
    for text in option.depends:
        try:
            if not Condition(text).holds(values):
                return "n"
        except BadCondition:
            return "n"
    default = option.defaults[0].split(" if ")[0] if option.defaults else "n"
    return given.get(option.name, default)


def _build(tree: Path) -> int:
    if not (tree / ".config").is_file():
        print('*** Configuration file ".config" not found!')
        return 2
    config = read_config((tree / ".config").read_text())
    for path in sorted(tree.rglob("Makefile")):
        folder = path.parent.relative_to(tree)
        for _, option, word in objects_in(path.read_text()):
            if word.endswith(".o") and config.get(option, "y") in ("y", "m"):
                print(f"  CC      {folder / word}")
    print("Kernel: arch/x86/boot/bzImage is ready  (#1)")
    return 0


def _install(root: Path, tree: Path, release: str) -> None:
    """What ``installkernel`` does: image, initial file system, configuration and an entry."""
    _write(root, f"boot/vmlinuz-{release}", f"kernel image {release}\n" * 64)
    _write(root, f"boot/initrd.img-{release}", f"initial file system {release}\n" * 64)
    _write(root, f"boot/config-{release}", (tree / ".config").read_text())
    entries = root / "boot/loader/entries"
    present = sorted(entries.glob("*.conf"))
    if present:
        text = present[0].read_text()
        version = re.search(r"^version\s+(\S+)", text, re.MULTILINE)
        if version:
            name = present[0].name.replace(version[1], release)
            (entries / name).write_text(text.replace(version[1], release))
    print(f"Installed kernel {release}")


def _write(root: Path, path: str, text: str) -> None:
    place = root / path
    place.parent.mkdir(parents=True, exist_ok=True)
    place.write_text(text)
