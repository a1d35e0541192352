"""Were the settings that the machine boots with changed by hand?"""

from brave_bridge.core.survey.findings import Situation, caution, clear, rule

_GIVEN_BY_LOADER = ("BOOT_IMAGE", "root", "ro", "rw", "initrd", "quiet", "splash", "kernel")


@rule(
    "boot-settings",
    "boot",
    asks="Were the settings that the machine boots with changed by hand?",
    means="The leg may write these files anew; a machine that needs a setting of yours may then "
    "not come up as before.",
)
def boot_settings(situation: Situation):
    facts = situation.facts
    changed = (config.path for config in facts.changed_configs)
    files = [path for path in changed if path.startswith(facts.boot_settings_in)]
    files += [path for path in facts.boot_files_changed if path not in files]
    typed = _typed_by_hand(facts.boot.command_line, facts.boot.settings) if facts.runs else []
    if files:
        yield caution(
            f"Boot settings changed by hand: {', '.join(files[:3])}",
            "compared with what was shipped: " + ", ".join(files[:5]),
            "Keep a copy at hand (the settings backup has one) and compare after the leg.",
        )
    elif typed:
        yield caution(
            f"The kernel runs with settings that no file has: {' '.join(typed[:4])}",
            f"/proc/cmdline has them, the boot loader's files do not: {' '.join(typed[:8])}",
            "Write them into the boot loader's settings if they are needed.",
        )
    else:
        yield clear("The boot settings are as they were shipped", "/etc/default/grub, /boot")


def _typed_by_hand(command_line: str, settings: str) -> list[str]:
    """The parameters that the kernel runs with and that no settings file asks for."""
    if not settings:
        return []
    asked = set(settings.split())
    return [
        word
        for word in command_line.split()
        if word not in asked and word.partition("=")[0] not in _GIVEN_BY_LOADER
    ]
