"""Are the file systems mounted that the kernel and its loader live on?"""

from brave_bridge.core.survey.findings import Situation, clear, not_applicable, rule, stop

_BOOT = ("/boot", "/boot/efi", "/efi", "/boot/firmware")


@rule(
    "boot-mounted",
    "boot",
    asks="Are the file systems mounted that the kernel and its loader live on?",
    means="A new kernel would be written where the boot loader does not look: the machine would "
    "start the old one, without its modules.",
    needs="fstab",
    half_way=True,
)
def boot_mounted(situation: Situation):
    facts = situation.facts
    wanted = [entry for entry in facts.expected_mounts if entry.path in _BOOT and entry.at_boot]
    if not wanted:
        yield not_applicable("The kernels stand on the root file system", "/etc/fstab: no /boot")
        return
    missing = [entry for entry in wanted if not _is_mounted(situation, entry.path)]
    if missing:
        paths = ", ".join(entry.path for entry in missing)
        yield stop(
            f"{paths} is not mounted",
            f"/etc/fstab names it on {missing[0].device}; "
            f"{facts.where('mounts') or 'nothing is mounted there in this tree'}",
            f"Mount it: mount {missing[0].path}",
            fix=tuple(("mount", entry.path) for entry in missing) if facts.runs else (),
        )
    else:
        yield clear(f"{', '.join(e.path for e in wanted)} mounted", "/etc/fstab, /proc/self/mounts")


def _is_mounted(situation: Situation, path: str) -> bool:
    """For a tree, whether the path stands on a file system of its own."""
    facts = situation.facts
    if facts.runs:
        return facts.mount_at(path) is not None
    return any(space.path == path for space in facts.space)
