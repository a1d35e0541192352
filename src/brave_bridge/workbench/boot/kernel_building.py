"""Building a kernel from a source tree on the machine: what it must have, and the order."""

from collections.abc import Iterator, Mapping, Sequence
from functools import cache
from importlib.resources import files

import msgspec

from brave_bridge.core.crossing.kernels.build_kernel import BuildOrder
from brave_bridge.core.formats.proc import read_modules
from brave_bridge.core.kconfig.comparing import OptionChange, option_changes
from brave_bridge.core.kconfig.dotconfig import LARGEST, config_text, read_config
from brave_bridge.core.kconfig.language import LARGEST_FILE, Kconfig
from brave_bridge.core.kconfig.makefiles import modules_in, objects_expected
from brave_bridge.core.kconfig.protected import Protected, Unmet, found_by_machine, unmet
from brave_bridge.core.survey.facts import Facts
from brave_bridge.machines.port import STATE_FOLDER, Machine
from brave_bridge.machines.queries import Below, Contents, Links
from brave_bridge.runner.briefs import BuildBrief
from brave_bridge.workbench.beginning import begin
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.kept.own_checks import roles_of
from brave_bridge.workbench.refusal import Refused

RECORDS = f"{STATE_FOLDER}/kernels"
"""Where it is kept what kernels that were built here must have."""

SOURCE_LINK = "/usr/src/linux"
_TREES = "/usr/src/*/Kconfig"
_RUNNING = "/proc/config.gz"
_NEEDED = ("make", "gcc", "ld", "flex", "bison", "bc")
_BYTES_A_JOB = 1 << 30
_SOURCE_ARCHITECTURES = {
    "amd64": "x86",
    "x86_64": "x86",
    "i386": "x86",
    "i686": "x86",
    "arm64": "arm64",
    "aarch64": "arm64",
    "armhf": "arm",
    "armv7l": "arm",
    "riscv64": "riscv",
    "ppc64el": "powerpc",
    "ppc64le": "powerpc",
    "s390x": "s390",
}


class Wishes(msgspec.Struct, frozen=True, kw_only=True):
    """What a person wants of a build. ``config`` is a path, empty for the running kernel's own.

    ``wanted`` are options with their values; ``keep`` options that must be on; ``let_go`` those
    that need not be although the machine uses them.
    """

    config: str = ""
    wanted: dict[str, str] = {}
    keep: tuple[str, ...] = ()
    let_go: tuple[str, ...] = ()
    jobs: int = 0
    configure_only: bool = False


class SourceTree:
    """A kernel's source on a machine, as far as it is read. Refused where it is none."""

    def __init__(self, machine: Machine, folder: str, architecture: str) -> None:
        self.machine = machine
        self.folder = folder.rstrip("/")
        if not machine.files.is_file(f"{self.folder}/Kconfig"):
            trees = ", ".join(source_trees(machine)) or "none in /usr/src"
            raise Refused(f"reading {folder}", f"it is no source of a kernel; there are: {trees}")
        source = _SOURCE_ARCHITECTURES.get(architecture, architecture)
        variables = {"SRCARCH": source, "ARCH": source, "srctree": ""}
        self.kconfig = Kconfig("Kconfig", variables)
        while self.kconfig.missing:
            wanted = {name: f"{self.folder}/{name}" for name in self.kconfig.missing}
            seen = machine.files.gather((Contents(tuple(wanted.values()), LARGEST_FILE),))
            self.kconfig.give({name: seen.text(path) for name, path in wanted.items()})
        self.makefiles = self._makefiles()

    def _makefiles(self) -> dict[str, str]:
        seen = self.machine.files.gather((Below((self.folder,), ("Makefile", "Kbuild")),))
        paths = tuple(seen.below.get(self.folder, ()))
        read = self.machine.files.gather((Contents(paths, LARGEST_FILE),))
        return {path.removeprefix(f"{self.folder}/"): text for path, text in read.texts("*")}

    def config(self) -> str:
        """Its ``.config`` as it is; empty where it has none."""
        return _read(self.machine, f"{self.folder}/.config")


def source_trees(machine: Machine) -> list[str]:
    """The sources of kernels in /usr/src, newest name last; a link to one is not another."""
    links = machine.files.gather((Links(("/usr/src/*",)),)).links
    folders = (path.removesuffix("/Kconfig") for path in machine.files.matching(_TREES))
    return [folder for folder in folders if folder not in links]


def tree_or_only(desk: Desk, folder: str) -> str:
    """The folder, or the last of the sources that are there. Refused where there is none."""
    found = source_trees(desk.machine)
    if not folder and not found:
        raise Refused("building a kernel", "there is no source of a kernel in /usr/src")
    return folder or found[-1]


def base_config(machine: Machine, facts: Facts, path: str) -> tuple[str, str]:
    """The configuration to begin with and where it stands; Refused where there is none."""
    running = facts.kernel_that_came_up
    places = (
        [path] if path else [_RUNNING, f"/boot/config-{running}", f"/lib/modules/{running}/config"]
    )
    if not path and not running:
        places += [f"/boot/config-{kernel.version}" for kernel in facts.kernels]
    for place in places:
        text = _read(machine, place)
        if read_config(text):
            return text, place
    raise Refused("carrying over a configuration", f"none is in {', '.join(places)}")


def _read(machine: Machine, path: str) -> str:
    """A configuration as text, unpacked where it is packed; empty where it cannot be read."""
    seen = machine.files.gather((Contents((path,), LARGEST),))
    return config_text(seen.contents.get(path, b""))


def protected_options(tree: SourceTree, facts: Facts, wishes: Wishes) -> tuple[Protected, ...]:
    """What the kernel must have: asked for by hand, and told by the machine as it runs."""
    seen = tree.machine.files.gather((Contents(("/proc/modules",), 1_000_000),))
    modules = [name for name, _ in read_modules(seen.text("/proc/modules") or "")]
    mounts = facts.mounts if facts.runs else facts.expected_mounts
    places = {mount.path: mount.type for mount in mounts if mount.path in _OF_THE_SYSTEM}
    found = found_by_machine(
        modules, modules_in(tree.makefiles), places, facts.boot.command_line or facts.boot.settings
    )
    by_hand = [Protected(name, "asked for") for name in wishes.keep]
    set_on = {name: value for name, value in wishes.wanted.items() if value != "n"}
    by_hand += [Protected(name, "set by hand", value) for name, value in set_on.items()]
    settled = {*wishes.let_go, *wishes.wanted, *wishes.keep}
    told = {one.name: one for one in (*protected_by_role(facts), *found)}
    return (*by_hand, *(one for one in told.values() if one.name not in settled))


class _Needs(msgspec.Struct):
    role: str
    options: tuple[str, ...]


class _OptionTable(msgspec.Struct):
    needs: tuple[_Needs, ...]
    source: str
    checked: str


@cache
def _needs_of_roles() -> tuple[_Needs, ...]:
    text = files("brave_bridge.data").joinpath("kernel_options.toml").read_text(encoding="utf-8")
    return msgspec.toml.decode(text, type=_OptionTable).needs


def protected_by_role(facts: Facts) -> Iterator[Protected]:
    """What the machine is there for, by the roles of its packages, and the options for that."""
    roles = roles_of(facts)
    for needs in _needs_of_roles():
        if needs.role in roles:
            for option in needs.options:
                yield Protected(option, f"it is a machine with the role {needs.role}")


_OF_THE_SYSTEM = ("/", "/usr", "/boot", "/boot/efi", "/efi", "/var", "/home")


class Configuration(msgspec.Struct, frozen=True):
    """What a tree's configuration changes against another, and what it must have and has not."""

    tree: str
    against: str
    changes: tuple[OptionChange, ...]
    protected: tuple[Protected, ...]
    unmet: tuple[Unmet, ...]
    objects: int


def configuration_of(desk: Desk, folder: str, wishes: Wishes = Wishes()) -> Configuration:
    """Hold a tree's ``.config`` against the one that it would be carried over from."""
    facts = desk.facts()
    tree = SourceTree(desk.machine, folder, facts.identity.architecture)
    config = read_config(tree.config())
    if not config:
        step = f"brave-bridge build-kernel {folder} --configure-only"
        raise Refused(f"reading {folder}/.config", "it has no configuration yet", step)
    text, against = base_config(desk.machine, facts, wishes.config)
    protected = protected_options(tree, facts, wishes)
    options = tree.kconfig.options
    return Configuration(
        tree.folder,
        against,
        tuple(option_changes(read_config(text), config, options)),
        protected,
        tuple(unmet(protected, config, options)),
        objects_expected(tree.makefiles, config),
    )


def begin_build(desk: Desk, folder: str, wishes: Wishes, *, unattended: bool) -> str:
    """Begin to build a kernel; the procedure's id. Refused where something is missing."""
    facts = desk.facts()
    desk.must_have_no_open_leg("building a kernel")
    if missing := sorted(_missing(desk.machine, _NEEDED)):
        raise Refused("building a kernel", f"not installed: {', '.join(missing)}")
    if not desk.machine.files.matching("/usr/sbin/installkernel") + desk.machine.files.matching(
        "/sbin/installkernel"
    ):
        why = "the system has no installkernel, which puts an image in its place"
        raise Refused("building a kernel", why, "install the package that has it")
    tree = SourceTree(desk.machine, folder, facts.identity.architecture)
    order = order_for(desk, facts, tree, wishes)
    title = f"{'configure' if wishes.configure_only else 'build'} {folder}"
    return begin(desk, "build", title, BuildBrief(order), unattended)


def order_for(desk: Desk, facts: Facts, tree: SourceTree, wishes: Wishes) -> BuildOrder:
    """The order for a build. Refused where there is nothing to carry over."""
    text, came_from = base_config(desk.machine, facts, wishes.config)
    protected = protected_options(tree, facts, wishes)
    options = tree.kconfig.options
    links = desk.machine.files.gather((Links((SOURCE_LINK,)),)).links
    return BuildOrder(
        tree=tree.folder,
        config=text,
        came_from=came_from,
        wanted=wishes.wanted,
        protected=protected,
        needs={
            one.name: tuple(options[one.name].depends) if one.name in options else ()
            for one in protected
        },
        jobs=wishes.jobs or _jobs(facts),
        objects=objects_expected(tree.makefiles, read_config(text)),
        record=RECORDS,
        source_link=SOURCE_LINK if SOURCE_LINK in links else "",
        configure_only=wishes.configure_only,
    )


def _missing(machine: Machine, programs: Sequence[str]) -> Iterator[str]:
    for program in programs:
        folders = ("/usr/bin", "/bin", "/usr/sbin", "/usr/local/bin")
        if not any(machine.files.matching(f"{folder}/{program}") for folder in folders):
            yield program


def _jobs(facts: Facts) -> int:
    """One for each core, as long as each has a gigabyte."""
    cores = max(1, facts.hardware.processors)
    memory = facts.hardware.memory_bytes // _BYTES_A_JOB
    return min(cores, memory) if memory else cores


def wanted_from(words: Sequence[str]) -> Mapping[str, str]:
    """``OPTION=VALUE`` words as options; Refused where one is none."""
    found = {}
    for word in words:
        name, equals, value = word.removeprefix("CONFIG_").partition("=")
        if not equals or not value or not name.replace("_", "").isalnum():
            raise Refused("setting an option", f"{word} is not OPTION=VALUE")
        found[name] = value
    return found
