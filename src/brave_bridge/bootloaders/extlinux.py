"""EXTLINUX on a machine: a trial as an entry of ours, chosen once by the loader's own tool."""

from brave_bridge.core.boot.entries import BootEntry
from brave_bridge.core.boot.extlinux import FOLDER, MENU, read_extlinux, with_default
from brave_bridge.core.boot.extlinux_trial import trial_part
from brave_bridge.core.boot.grub_trial import TRIAL_ID
from brave_bridge.core.formats.marked_part import part_in, with_part, without_part
from brave_bridge.core.formats.text import decoded, plain
from brave_bridge.machines.port import Machine, MachineError
from brave_bridge.machines.queries import Contents, Names, Query

LOADER = f"{FOLDER}/ldlinux.sys"
"""The loader itself, whose last bytes are what it remembers."""

TOOLS = ("/usr/bin/extlinux", "/sbin/extlinux", "/usr/sbin/extlinux")
_INCLUDED = (f"{FOLDER}/*.cfg", f"{FOLDER}/*.conf", f"{FOLDER}/*/*/*.cfg")
QUERIES: tuple[Query, ...] = (
    Contents((MENU, *_INCLUDED), 64 * 1024),
    Contents((LOADER,), 1_000_000),
    Names(TOOLS),
)
_LIMIT = 64 * 1024
_SECONDS = 30.0


def texts_beside(contents: dict[str, bytes]) -> dict[str, str]:
    """The texts of what a menu may include, of what was read."""
    return {path: decoded(text) for path, text in contents.items() if path.startswith(FOLDER)}


def arm(machine: Machine, tool: str, chosen: BootEntry, good: BootEntry, trial: str) -> str:
    """Have the entry ``chosen`` booted once and ``good`` at every other boot; what was written.

    The choice is written last: until then every boot takes ``good``. Done twice it is done once.
    """
    text, others = _menu(machine)
    try:
        changed = with_part(text, trial_part(chosen, good.id, trial))
    except ValueError as error:
        raise MachineError("arranging a trial", machine.name, str(error)) from error
    if (default := read_extlinux(changed, others).default) != good.id:
        seen = f"{MENU} has {default} as its default by another word (MENU DEFAULT)"
        remedy = "name its default by DEFAULT alone"
        raise MachineError("arranging a trial", machine.name, seen, remedy)
    _write(machine, text, changed)
    _run(machine, (tool, f"--once={TRIAL_ID}", FOLDER))
    return f"{MENU}, {LOADER}"


def disarm(machine: Machine, tool: str) -> bool:
    """Take a trial out again; whether there was one. The menu's own default holds then."""
    content = machine.files.read_if_there(MENU, _LIMIT)
    text = (content or b"").decode("utf-8", "surrogateescape")
    if not part_in(text):
        return False
    if tool:
        _run(machine, (tool, "--clear-once", FOLDER))
    _write(machine, text, without_part(text))
    return True


def pin(machine: Machine, entry: BootEntry) -> str:
    """Have an entry booted from now on; the file that says so."""
    text, others = _menu(machine)
    try:
        _write(machine, text, with_default(text, entry.id, others))
    except ValueError as error:
        raise MachineError(f"making {entry.title} the default", machine.name, str(error)) from error
    return MENU


def _menu(machine: Machine) -> tuple[str, dict[str, str]]:
    """The menu, every byte of it kept, and what it may include."""
    text = machine.files.read(MENU, _LIMIT).decode("utf-8", "surrogateescape")
    return text, texts_beside(machine.files.gather(QUERIES[:1]).contents)


def _write(machine: Machine, before: str, text: str) -> None:
    if text != before:
        machine.files.write(MENU, text.encode("utf-8", "surrogateescape"))


def _run(machine: Machine, argv: tuple[str, ...]) -> None:
    code, output = machine.jobs.hand(argv, b"", _SECONDS)
    if code:
        seen = plain(decoded(output).strip()[-300:]) or f"it ended with {code}"
        raise MachineError(" ".join(argv), machine.name, seen)
