"""Does a snapshot cover every file system that belongs to the system?"""

from collections.abc import Iterable

from brave_bridge.core.survey.findings import Situation, caution, clear, rule, stop

_INSEPARABLE = ("/usr", "/var", "/var/lib", "/etc")


@rule(
    "uncovered-mounts",
    "way back",
    asks="Does a snapshot cover every file system that belongs to the system?",
    means="A return puts the covered file systems back and leaves the others as the leg made "
    "them: the two would not fit together.",
    overrule=True,
    half_way=True,
)
def uncovered_mounts(situation: Situation):
    missed = situation.ways_back.uncovered
    grave = [(path, why) for path, why in missed if path in _INSEPARABLE]
    remedy = "Save these yourself before the leg (tar, or your storage's own snapshot)."
    if grave:
        yield stop(
            f"A snapshot does not cover {_named(grave)}",
            _reasons(grave),
            "Take them in again: brave-bridge cover --take-in PATH",
        )
    elif missed:
        yield caution(
            f"A snapshot does not cover {_named(missed)}",
            _reasons(missed),
            remedy,
            meaning="What is there stays as it is after a return.",
        )
    else:
        yield clear("A snapshot covers the whole system", "every mounted file system of it")


def _named(missed: Iterable[tuple[str, str]]) -> str:
    return ", ".join(path for path, _ in missed)


def _reasons(missed: Iterable[tuple[str, str]]) -> str:
    return "; ".join(f"{path}: {why}" for path, why in missed)
