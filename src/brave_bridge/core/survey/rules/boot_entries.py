"""Does the boot menu start what is there, and does the loader remember what it was told?"""

from brave_bridge.core.boot.entries import LoaderFault
from brave_bridge.core.boot.loader_faults import BLOCK, CHOICE, INITRD, next_entry
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.findings import (
    Situation,
    caution,
    clear,
    not_applicable,
    rule,
    stop,
)

_MOST = 4


@rule(
    "boot-entries",
    "boot",
    asks="Does the boot menu start what is there, and does the loader know its default?",
    means="The leg ends with a restart: a machine whose loader starts what is not there does not "
    "come up.",
    half_way=True,
)
def boot_entries(situation: Situation):
    facts = situation.facts
    loader = facts.loader
    if not loader.entries:
        yield not_applicable("No boot entries are known here", "no menu of a loader was found")
        return
    if not loader.faults:
        coming = next_entry(loader)
        what = coming.title if coming else "its first entry"
        where = loader.remembers or loader.kind
        yield clear(f"The boot menu starts what is there; {what} is next", where)
        return
    grave = [fault for fault in loader.faults if fault.next_boot]
    told = stop if grave else caution
    faults = grave or list(loader.faults)
    yield told(
        faults[0].words[0].upper() + faults[0].words[1:]
        if len(faults) == 1
        else f"{len(faults)} boot entries start what is not there",
        "; ".join(fault.words for fault in faults[:_MOST]),
        _remedy(facts, faults),
        fix=_commands(facts, faults),
    )


def _remedy(facts: Facts, faults: list[LoaderFault]) -> str:
    commands = _commands(facts, faults)
    if commands:
        return "Have them made anew: " + ", then ".join(" ".join(argv) for argv in commands)
    return "Have the boot menu made anew by the program that writes it, and look at it again."


def _commands(facts: Facts, faults: list[LoaderFault]) -> tuple[tuple[str, ...], ...]:
    """The distribution's own programs that mend it, in order."""
    kinds = {fault.kind for fault in faults}
    commands = list(dict.fromkeys(fault.mended_by for fault in faults if fault.mended_by))
    names = {package.name for package in facts.installed}
    if INITRD in kinds and "initramfs-tools" in names:
        lost = sorted({fault.kernel for fault in faults if fault.kind == INITRD and fault.kernel})
        commands += [("update-initramfs", "-c", "-k", kernel) for kernel in lost]
    if facts.loader.remade_by and kinds - {BLOCK, CHOICE}:
        commands.append(facts.loader.remade_by)
    return tuple(commands)
