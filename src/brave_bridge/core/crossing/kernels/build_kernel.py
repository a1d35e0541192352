"""The script that configures, builds and installs a kernel from a source tree on the machine.

The tree's own make does the work (the kernel's Documentation/kbuild/); the system's own
``installkernel`` puts the image, its initial file system and its boot entry in place.
"""

from collections.abc import Mapping

import msgspec

from brave_bridge.core.crossing.kernels.change_kernels import default_kept, new_boot_faults
from brave_bridge.core.crossing.replies import Answered, FactsRead, FilesRead, FileText, Ran, Reply
from brave_bridge.core.crossing.requests import (
    OBJECTS,
    Ask,
    Checkpoint,
    ReadFacts,
    ReadFiles,
    Run,
    Script,
    TakeSnapshot,
    WriteFiles,
)
from brave_bridge.core.crossing.results import Outcome
from brave_bridge.core.crossing.stage import ended_well, what_was_seen
from brave_bridge.core.formats.text import byte_size, counted
from brave_bridge.core.kconfig.comparing import option_changes
from brave_bridge.core.kconfig.dotconfig import LARGEST, OFF, read_config, with_options
from brave_bridge.core.kconfig.language import Option
from brave_bridge.core.kconfig.protected import Protected, unmet
from brave_bridge.core.survey.facts import Facts

BUILD, LEAVE = "build", "leave it"
LEAST_ROOM = 60_000_000
"""What a kernel with its initial file system is taken to need in /boot at least."""

_QUIET = {"LC_ALL": "C"}


class BuildOrder(msgspec.Struct, frozen=True, kw_only=True):
    """What is to be built: the tree's folder, the configuration to begin with, and what must hold.

    ``config`` is the text of a ``.config``, ``came_from`` where it stood; ``wanted`` are options
    set by hand, with their values. ``needs`` are the conditions of protected options, to explain
    one that cannot be on. ``objects`` is about how many are built; ``record`` is the folder in
    which it is kept what the kernel must have. ``configure_only`` ends before anything is built.
    """

    tree: str
    config: str
    came_from: str
    wanted: dict[str, str] = {}
    protected: tuple[Protected, ...] = ()
    needs: dict[str, tuple[str, ...]] = {}
    jobs: int = 1
    objects: int = 0
    record: str = ""
    source_link: str = ""
    """The link that names the current source, where the system has one."""
    configure_only: bool = False


def build_kernel(order: BuildOrder) -> Script[Outcome]:
    """Configure, check, build, make a way back, install, and read back what is there to boot."""
    return (yield from _Building(order).carry_out())


class _Building:
    def __init__(self, order: BuildOrder) -> None:
        self.order = order
        self.way_back = ""
        self.release = ""

    def carry_out(self) -> Script[Outcome]:
        yield from Checkpoint(title="Checkpoint: ready", name="ready", leg=0)
        reply = yield from ReadFacts(title="Read what there is to boot")
        if not isinstance(reply, FactsRead):
            return self._stopped("ready", what_was_seen(reply))
        before = reply.facts
        config, why = yield from self._configured()
        if why:
            return self._stopped("configuration", why)
        if self.order.configure_only or not (yield from self._agreed(config)):
            step = f"brave-bridge kernel-config {self.order.tree}"
            words = f"the configuration is in {self.order.tree}/.config"
            return Outcome(state="done", warnings=(f"{words}; look at it: {step}",))
        why = yield from self._built()
        if why:
            return self._stopped("build", why)
        if why := _no_room(before):
            return self._stopped("boot partition", why)
        taken = yield from TakeSnapshot(
            title="Take a snapshot before the kernel is installed",
            reason=f"before kernel {self.release}",
            leg="",
        )
        self.way_back = getattr(taken, "id", "")
        if not self.way_back:
            return self._stopped("way back", what_was_seen(taken))
        why = yield from self._installed()
        if why:
            return self._failed("installation", why)
        return (yield from self._read_back(before))

    def _make(self, title: str, *words: str, measures: str = "", amount: int = 0) -> Run:
        return Run(
            title=title,
            argv=("make", "-C", self.order.tree, *words),
            environment=_QUIET,
            measures=measures,
            amount=amount,
        )

    def _configured(self) -> Script[tuple[dict[str, str], str]]:
        """Write the configuration and have the tree complete it; why it cannot be used."""
        order = self.order
        place = f"{order.tree}/.config"
        file = FileText(place, with_options(order.config, order.wanted))
        written = yield from WriteFiles(title=f"Carry over {order.came_from}", files=(file,))
        if why := what_was_seen(written):
            return {}, why
        reply = yield from self._make("Have the tree complete it", "olddefconfig")
        if not ended_well(reply):
            return {}, _why(reply)
        read = yield from ReadFiles(title="Read it back", patterns=(place,), limit_bytes=LARGEST)
        if not isinstance(read, FilesRead) or not read.files:
            return {}, what_was_seen(read) or f"{place} is not there"
        config = read_config(read.files[0].text)
        by_hand = [
            f"{name} is {config[name]}, not off as it was set"
            for name, value in order.wanted.items()
            if value == OFF and config.get(name, OFF) != OFF
        ]
        options = {name: Option(name, depends=list(all_)) for name, all_ in order.needs.items()}
        found = [one.words for one in unmet(order.protected, config, options)]
        return config, "; ".join([*by_hand, *found][:6])

    def _agreed(self, config: Mapping[str, str]) -> Script[bool]:
        before = read_config(self.order.config)
        changes = [*option_changes(before, config, {})]
        count = {
            kind: sum(1 for change in changes if change.kind == kind)
            for kind in ("new", "dropped", "changed")
        }
        words = ", ".join(f"{number} {kind}" for kind, number in count.items())
        protected = counted(len(self.order.protected), "protected option")
        reply = yield from Ask(
            title="Build the kernel?",
            key="build",
            detail=f"Against {self.order.came_from}: {words}. {protected} hold; they are read "
            f"back when it runs. About {self.order.objects} objects on {self.order.jobs} cores.",
            choices=(BUILD, LEAVE),
            default=BUILD,
        )
        return isinstance(reply, Answered) and reply.choice == BUILD

    def _built(self) -> Script[str]:
        reply = yield from self._make(
            "Build the kernel and its modules",
            f"-j{self.order.jobs}",
            measures=OBJECTS,
            amount=self.order.objects,
        )
        if not ended_well(reply):
            return _why(reply)
        reply = yield from self._make("Ask what it calls itself", "-s", "kernelrelease")
        if not ended_well(reply) or not isinstance(reply, Ran):
            return _why(reply)
        lines = [line.strip() for line in reply.output.splitlines() if line.strip()]
        self.release = lines[-1] if lines else ""
        if not self.release or "/" in self.release or " " in self.release:
            return f"no version of a kernel: {self.release or 'nothing'}"
        return ""

    def _installed(self) -> Script[str]:
        for title, words in (
            ("Install the modules", ("modules_install",)),
            ("Have the system install the kernel", ("install",)),
        ):
            reply = yield from self._make(title, *words)
            if not ended_well(reply):
                return _why(reply)
        if self.order.source_link:
            argv = ("ln", "-sfn", self.order.tree, self.order.source_link)
            reply = yield from Run(title="Have the link name this source", argv=argv)
            if not ended_well(reply):
                return _why(reply)
        if self.order.record:
            text = msgspec.json.encode(self.order.protected).decode()
            file = FileText(f"{self.order.record}/{self.release}.json", text)
            written = yield from WriteFiles(title="Keep what it must have", files=(file,))
            return what_was_seen(written)
        return ""

    def _read_back(self, before: Facts) -> Script[Outcome]:
        reply = yield from ReadFacts(title="Look what is there to boot now")
        if not isinstance(reply, FactsRead):
            return self._failed("reading back", what_was_seen(reply))
        after = yield from self._with_its_modules(reply.facts)
        if self.release not in {kernel.version for kernel in after.kernels}:
            return self._failed("reading back", f"there is no image of {self.release} in /boot")
        if faults := new_boot_faults(before, after):
            return self._failed("boot menu", faults)
        kept = yield from default_kept(before, after)
        return Outcome(
            state="done", ways_back=(self.way_back,), warnings=(*kept, *self._told(after))
        )

    def _with_its_modules(self, after: Facts) -> Script[Facts]:
        """Have the modules from outside built for it, and look again; those that stay are told."""
        if not self._unbuilt(after):
            return after
        yield from Run(
            title=f"Build {', '.join(self._unbuilt(after))} for it",
            argv=("dkms", "autoinstall", "-k", self.release),
        )
        reply = yield from ReadFacts(title="Look which modules are built for it now")
        return reply.facts if isinstance(reply, FactsRead) else after

    def _unbuilt(self, facts: Facts) -> list[str]:
        """The modules that dkms(8) builds, and has not built for it."""
        return [
            module.name
            for module in facts.hardware.modules
            if module.origin == "dkms" and self.release not in module.built_for
        ]

    def _told(self, after: Facts):
        if any(entry.kernel == self.release for entry in after.loader.entries):
            yield f"kernel {self.release} is there; try it: brave-bridge boot-once {self.release}"
        elif after.loader.kind:
            yield f"kernel {self.release} is there, and no entry of the boot menu starts it"
        else:
            yield f"kernel {self.release} is there; no boot loader is known that would start it"
        for name in self._unbuilt(after):
            yield f"{name} could not be built for it: dkms autoinstall -k {self.release} tells why"
        for module in after.hardware.modules:
            if module.origin == "loaded":
                yield f"{module.name} came from outside the kernel: build it for {self.release}"

    def _stopped(self, at: str, why: str) -> Outcome:
        return Outcome(
            state="stopped",
            at=at,
            why=why,
            safe=f"nothing outside {self.order.tree} was changed",
            next_step="mend that and begin again: what is built already is not built again",
        )

    def _failed(self, at: str, why: str) -> Outcome:
        return Outcome(
            state="failed",
            at=at,
            why=why,
            safe=f"the kernels of before are there; {self.way_back} has all of before",
            next_step=f"look at the output in the logbook, or brave-bridge return {self.way_back}",
            ways_back=(self.way_back,),
        )


def _no_room(facts: Facts) -> str:
    """Why the kernel would not fit, or would go to a place that is not the boot partition."""
    expected = any(mount.path == "/boot" for mount in facts.expected_mounts)
    if expected and facts.runs and facts.mount_at("/boot") is None:
        return "/boot is a partition of its own, and is not mounted: mount /boot"
    room = facts.room_at("/boot")
    need = max([LEAST_ROOM, *(kernel.boot_bytes for kernel in facts.kernels)])
    if room is not None and room.free_bytes < need:
        free = byte_size(room.free_bytes)
        return f"{free} are free on {room.path}, and a kernel takes {byte_size(need)}"
    return ""


def _why(reply: Reply) -> str:
    """Why a command of the tree failed, by its own last words about an error."""
    if not isinstance(reply, Ran):
        return what_was_seen(reply)
    if reply.lost:
        return "it was cut off"
    lines = [line.strip() for line in reply.output.splitlines() if line.strip()]
    faults = [line for line in lines if "error" in line.lower() or "***" in line]
    return "; ".join(faults[-4:] or lines[-3:]) or f"exit code {reply.exit_code}"
