"""Which option builds which module, and how much a configuration builds: kbuild's makefiles read.

Follows the kernel's Documentation/kbuild/makefiles.rst: ``obj-$(CONFIG_NAME) += file.o folder/``,
and ``module-y := part.o`` for a module of several parts.
"""

import re
from collections.abc import Iterator, Mapping

from brave_bridge.core.formats.kernel_modules import module_name

_LINE = re.compile(
    r"^\s*(?P<name>[\w\-.]+?)-(?:(?P<fixed>[ym]|objs)|\$\(CONFIG_(?P<option>\w+)\))\s*[:+]?=\s*(?P<what>.*)$"
)
ALWAYS = ""
"""The option of what is built whatever is chosen."""


def objects_in(makefile: str) -> Iterator[tuple[str, str, str]]:
    """What a makefile lists: the list's name (``obj``, or a module), the option, the object.

    An object ends in ``.o``, a folder in ``/``.
    """
    for line in makefile.replace("\\\n", " ").splitlines():
        match = _LINE.match(line)
        if match is None:
            continue
        for word in match["what"].partition("#")[0].split():
            if word.endswith((".o", "/")):
                yield match["name"], match["option"] or ALWAYS, word


def modules_in(makefiles: Mapping[str, str]) -> dict[str, str]:
    """The option that builds each module, by the name that the module has in a kernel."""
    found: dict[str, str] = {}
    for text in makefiles.values():
        for name, option, word in objects_in(text):
            if name == "obj" and option and word.endswith(".o"):
                module = module_name(word.removesuffix(".o").rpartition("/")[2])
                found.setdefault(module, option)
    return found


def objects_expected(makefiles: Mapping[str, str], config: Mapping[str, str]) -> int:
    """About how many objects a configuration builds; for an estimate, not for a decision."""
    folders = _folders_built(makefiles, config)
    return sum(
        1
        for path, text in makefiles.items()
        if path.rpartition("/")[0] in folders
        for _, option, word in objects_in(text)
        if word.endswith(".o") and _is_on(option, config)
    )


def _folders_built(makefiles: Mapping[str, str], config: Mapping[str, str]) -> set[str]:
    """The folders that a configuration goes into."""
    built = {path.rpartition("/")[0] for path in makefiles}
    for path, text in makefiles.items():
        folder = path.rpartition("/")[0]
        for name, option, word in objects_in(text):
            if name == "obj" and word.endswith("/") and not _is_on(option, config):
                left_out = f"{folder}/{word.rstrip('/')}".lstrip("/")
                built = {one for one in built if f"{one}/".startswith(f"{left_out}/") is False}
    return built


def _is_on(option: str, config: Mapping[str, str]) -> bool:
    return option == ALWAYS or config.get(option, "n") in ("y", "m")
