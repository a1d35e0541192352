"""Does a snapshot cover every file system that belongs to the system?"""

from brave_bridge.core.survey.findings import Situation, caution, clear, rule, stop

_SYSTEM = ("/usr", "/var", "/etc", "/opt", "/boot", "/boot/efi", "/boot/firmware", "/srv")
_INSEPARABLE = ("/usr", "/var", "/etc")


@rule(
    "uncovered-mounts",
    "way back",
    asks="Does a snapshot cover every file system that belongs to the system?",
    means="A return puts the root file system back and leaves the others as the leg made them: "
    "the two would not fit together.",
    overrule=True,
)
def uncovered_mounts(situation: Situation):
    facts = situation.facts
    apart = {space.path for space in facts.space} | {mount.path for mount in facts.mounts}
    missed = [path for path in _SYSTEM if path in apart]
    grave = [path for path in missed if path in _INSEPARABLE]
    evidence = "a snapshot covers the root file system; apart from it: " + ", ".join(missed)
    remedy = "Save these yourself before the leg (tar, or your storage's own snapshot)."
    if grave:
        yield stop(f"A snapshot does not cover {', '.join(grave)}", evidence, remedy)
    elif missed:
        yield caution(
            f"A snapshot does not cover {', '.join(missed)}",
            evidence,
            remedy,
            meaning="Kernels and boot entries there stay as the leg made them after a return.",
        )
    else:
        yield clear("A snapshot covers the whole system", "/ holds all of it")
