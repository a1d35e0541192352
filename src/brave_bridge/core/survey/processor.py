"""Which level of its architecture a processor reaches, by the flags that it reports.

x86-64: the levels of the System V ABI supplement. Arm: the architecture's extensions, as
the kernel names them in /proc/cpuinfo.
"""

from collections.abc import Collection

_X86_LEVELS = (
    ("x86-64-v1", "cmov cx8 fpu fxsr mmx syscall sse sse2 lm"),
    ("x86-64-v2", "cx16 lahf_lm popcnt pni sse4_1 sse4_2 ssse3"),
    ("x86-64-v3", "avx avx2 bmi1 bmi2 f16c fma abm movbe xsave"),
    ("x86-64-v4", "avx512f avx512bw avx512cd avx512dq avx512vl"),
)
_ARM64_LEVELS = (
    ("armv8-a", "fp asimd"),
    ("armv8.1-a", "atomics crc32 asimdrdm"),
    ("armv8.2-a", "dcpop"),
    ("armv8.3-a", "jscvt fcma lrcpc"),
    ("armv8.4-a", "asimddp uscat ilrcpc dit flagm"),
    ("armv8.5-a", "sb ssbs flagm2 frint"),
)
_ARM_LEVELS = (("armv6", "vfp"), ("armv7-a", "vfpv3 thumb"), ("armv7-a-neon", "neon"))
LADDERS = {"amd64": _X86_LEVELS, "arm64": _ARM64_LEVELS, "armhf": _ARM_LEVELS}


def ladder_of(architecture: str, flags: Collection[str]) -> tuple[tuple[str, str], ...]:
    """The levels of the processor's own architecture, lowest first.

    The processor decides, not the system on it: an i386 system may stand on a 64-bit one.
    """
    if "lm" in flags:
        return _X86_LEVELS
    if "asimd" in flags:
        return _ARM64_LEVELS
    return LADDERS.get(architecture, ())


def level_of(architecture: str, flags: Collection[str]) -> str:
    """The highest level all of whose flags are there; empty where none is reached."""
    reached = ""
    have = set(flags)
    for name, needed in ladder_of(architecture, have):
        if not have.issuperset(needed.split()):
            break
        reached = name
    return reached


def missing_for(level: str, flags: Collection[str]) -> list[str]:
    """The flags that a processor lacks for a level; none for a level that is not known."""
    for ladder in LADDERS.values():
        names = [name for name, _ in ladder]
        if level in names:
            below = ladder[: names.index(level) + 1]
            needed = " ".join(flags_of for _, flags_of in below).split()
            return [flag for flag in needed if flag not in set(flags)]
    return []
