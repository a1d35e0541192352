"""Asking the versions that are to come whether they accept the settings that stand."""

from collections.abc import Callable, Mapping

from brave_bridge.core.crossing.ahead import PLACE
from brave_bridge.core.crossing.replies import Ran, Reply, SettingsForeseen
from brave_bridge.core.crossing.requests import AskNewVersions, Run
from brave_bridge.core.crossing.stage import last_words
from brave_bridge.core.formats.text import one_line
from brave_bridge.core.survey.program_settings import ACCEPTED, REFUSED, refused_since
from brave_bridge.families.baseline.settings import (
    NOW,
    THEN,
    SettingCheck,
    asked_beside,
    setting_checks,
)
from brave_bridge.families.family import Packages
from brave_bridge.machines.port import Machine
from brave_bridge.machines.queries import Answer


def ask_new_versions(
    machine: Machine,
    packages: Packages,
    request: AskNewVersions,
    run: Callable[[Run], Reply],
) -> Reply:
    """Ask those programs whose package changes; nothing of it is left behind."""
    checks = {
        check.name: check
        for check in setting_checks()
        if check.ahead and (not check.file or machine.files.is_file(check.file))
    }
    asked = {check.name: check.argv for check in checks.values()}
    try:
        command = packages.with_new_versions(
            machine, request.lists, request.changes, request.stays, asked
        )
    except LookupError as error:
        return SettingsForeseen(0, unanswered=error.args[0])
    if command is None:
        return SettingsForeseen(0)
    try:
        reply = run(command)
    finally:
        machine.files.remove_folder(PLACE)
    if not isinstance(reply, Ran) or not command.went_well(reply):
        return SettingsForeseen(0, unanswered=one_line(last_words(reply)))
    return _foreseen(checks, asked_beside(reply.output))


def _foreseen(
    checks: Mapping[str, SettingCheck], said: Mapping[str, Mapping[str, Answer]]
) -> SettingsForeseen:
    """What is refused then and accepted now; where it is refused now too, nobody can tell."""
    now, then = (_verdicts(checks, said[phase]) for phase in (NOW, THEN))
    unknown = [
        name
        for name, verdict in then.items()
        if not verdict
        or _is_wordless(said[THEN][name])
        or (verdict.startswith(REFUSED) and now.get(name) != ACCEPTED)
    ]
    known = {name: verdict for name, verdict in then.items() if name not in unknown}
    unanswered = f"{', '.join(unknown)} cannot be asked beside the system" if unknown else ""
    return SettingsForeseen(len(then), refused_since(now, known), unanswered)


def _is_wordless(answer: Answer) -> bool:
    """Whether it ended with an error and named no fault: what ails it may be the view alone."""
    return not answer.ok and not answer.output.strip()


def _verdicts(checks: Mapping[str, SettingCheck], said: Mapping[str, Answer]) -> dict[str, str]:
    """The verdicts by program; of one that is gone, or cannot be run, there is none to have."""
    return {
        name: checks[name].verdict(answer)
        for name, answer in said.items()
        if name in checks and not answer.is_not_there
    }
