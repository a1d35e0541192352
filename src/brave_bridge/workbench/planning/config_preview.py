"""What becomes of a changed config file: as it was shipped, as it is here, as it will be."""

import difflib

import msgspec

from brave_bridge.archives.fault import ArchiveFault
from brave_bridge.core.formats.text import decoded, plain
from brave_bridge.families.registry import family_named
from brave_bridge.machines.port import MachineError
from brave_bridge.workbench.desk import Desk
from brave_bridge.workbench.record import KeptPlan
from brave_bridge.workbench.refusal import Refused

_LIMIT = 4_000_000


class ConfigPreview(msgspec.Struct, frozen=True, kw_only=True):
    """The three versions of a config file; one that could not be read is None, ``why`` says it.

    ``shipped`` is what the installed package brought, ``theirs`` what the new one brings.
    """

    path: str
    package: str
    old: str
    new: str
    shipped: str | None
    mine: str
    theirs: str | None
    why: tuple[str, ...] = ()

    @property
    def by_you(self) -> list[str]:
        """What you changed, as a unified diff; of nothing where the shipped one is not known."""
        return _diff(self.shipped, self.mine, f"shipped with {self.old}", "yours")

    @property
    def by_them(self) -> list[str]:
        """What the new version changes; held against yours where the shipped one is not known."""
        if self.shipped is None:
            return _diff(self.mine, self.theirs, "yours", f"shipped with {self.new}")
        return _diff(self.shipped, self.theirs, f"shipped with {self.old}", f"with {self.new}")

    @property
    def meet(self) -> bool:
        """Whether you and the new version changed the same lines."""
        if self.shipped is None or self.theirs is None:
            return False
        base = self.shipped.splitlines()
        yours, others = _touched(base, self.mine), _touched(base, self.theirs)
        return bool(yours & others)


def _touched(base: list[str], after: str) -> set[int]:
    """The lines of a text that another one changed, and those around what it put in."""
    matcher = difflib.SequenceMatcher(None, base, after.splitlines(), autojunk=False)
    found: set[int] = set()
    for kind, start, end, _, _ in matcher.get_opcodes():
        if kind != "equal":
            found.update(range(start, end) if end > start else (start - 1, start))
    return found


def _diff(before: str | None, after: str | None, name: str, other: str) -> list[str]:
    if before is None or after is None:
        return []
    lines = difflib.unified_diff(
        before.splitlines(), after.splitlines(), name, other, lineterm="", n=2
    )
    return [plain(line, 400) for line in lines]


def preview_config(desk: Desk, plan: KeptPlan, path: str) -> ConfigPreview:
    """Read the three versions, the shipped ones out of the packages themselves."""
    found = next(
        (
            (number, leg, question)
            for number, leg in enumerate(plan.legs)
            for question in leg.configs.questions
            if question.path == path
        ),
        None,
    )
    if found is None:
        raise Refused("looking at a config file", f"the plan asks nothing about {path}")
    number, leg, question = found
    change = next((c for c in leg.packages.upgraded if c.name == question.package), None)
    if change is None:
        raise Refused("looking at a config file", f"{question.package} would go away")
    facts, why = desk.facts(), []
    lists = f"{plan.indices}/{number}/lists"
    machine, packages = desk.machine, family_named(desk.family()).packages
    if packages is None:
        raise Refused("looking at a config file", "what packages ship is not known here")
    theirs = _read(
        why, lambda: packages.file_to_come(machine, lists, change.name, change.new, path)
    )
    shipped = _read(
        why, lambda: packages.file_of_now(machine, facts.sources, change.name, change.old, path)
    )
    mine = decoded(machine.files.read_if_there(path, _LIMIT) or b"")
    return ConfigPreview(
        path=path,
        package=change.name,
        old=change.old,
        new=change.new,
        shipped=shipped,
        mine=mine,
        theirs=theirs,
        why=tuple(why),
    )


def _read(why: list[str], reader) -> str | None:
    try:
        content = reader()
    except (ArchiveFault, MachineError) as error:
        why.append(plain(str(error), 300))
        return None
    if content is None:
        why.append("the package ships no such file: a script of it makes the file")
        return None
    return decoded(content)
