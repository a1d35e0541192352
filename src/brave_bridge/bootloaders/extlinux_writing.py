"""EXTLINUX on a machine: a trial as an entry of ours, chosen once by the loader's own tool."""

from brave_bridge.core.boot.entries import TRIAL_ID, BootEntry
from brave_bridge.core.boot.extlinux import FOLDER, MENU, read_extlinux, with_default
from brave_bridge.core.boot.extlinux_trial import read_once, trial_part
from brave_bridge.core.formats.marked_part import part_in, with_part, without_part
from brave_bridge.core.formats.text import decoded, plain
from brave_bridge.machines.port import Machine, MachineError
from brave_bridge.machines.queries import Contents, Names, Query, Seen

LOADER = f"{FOLDER}/ldlinux.sys"
"""The loader itself, whose last bytes are what it remembers."""

TOOLS = ("/usr/bin/extlinux", "/sbin/extlinux", "/usr/sbin/extlinux")
_INCLUDED = (f"{FOLDER}/*.cfg", f"{FOLDER}/*.conf", f"{FOLDER}/*/*/*.cfg")
_LIMIT, _LARGEST_LOADER = 64 * 1024, 1_000_000
_TEXTS = Contents((MENU, *_INCLUDED), _LIMIT)
QUERIES: tuple[Query, ...] = (_TEXTS, Contents((LOADER,), _LARGEST_LOADER), Names(TOOLS))
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
    try:
        _run(machine, (tool, f"--once={TRIAL_ID}", FOLDER))
    except MachineError:
        # Without a trial the menu's own default is what the machine is to boot.
        _write(machine, changed, text)
        raise
    return f"{MENU}, {LOADER}"


def disarm(machine: Machine) -> bool:
    """Take a trial out again; whether there was one. The menu's own default holds then.

    MachineError where it is still to be booted once, and nothing here can change that: an entry
    that is chosen and not there would keep the machine at the loader's prompt.
    """
    content = machine.files.read_if_there(MENU, _LIMIT)
    text = (content or b"").decode("utf-8", "surrogateescape")
    if not part_in(text):
        return False
    if read_once(machine.files.read_if_there(LOADER, _LARGEST_LOADER) or b""):
        _run(machine, (tool_in(machine.files.gather((Names(TOOLS),))), "--clear-once", FOLDER))
    _write(machine, text, without_part(text))
    return True


def tool_in(seen: Seen) -> str:
    """The loader's own program among what was seen; empty where it is not there."""
    return next((tool for tool in TOOLS if tool in seen.found), "")


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
    return text, texts_beside(machine.files.gather((_TEXTS,)).contents)


def _write(machine: Machine, before: str, text: str) -> None:
    if text != before:
        machine.files.write(MENU, text.encode("utf-8", "surrogateescape"))


def _run(machine: Machine, argv: tuple[str, ...]) -> None:
    if not argv[0]:
        attempted, seen = "changing what is booted once", "the program extlinux is not here"
        raise MachineError(attempted, machine.name, seen, "install the package extlinux")
    code, output = machine.jobs.hand(argv, b"", _SECONDS)
    if code:
        seen = plain(decoded(output).strip()[-300:]) or f"it ended with {code}"
        raise MachineError(" ".join(argv), machine.name, seen)
