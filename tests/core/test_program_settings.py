"""Programs judge their own settings: what they say is read, and asked before a restart."""

import pytest

from brave_bridge.core.crossing.agreement import GO_ON
from brave_bridge.core.crossing.replies import (
    Answered,
    Failed,
    Ran,
    SettingsChecked,
    SettingsForeseen,
)
from brave_bridge.core.crossing.requests import (
    Ask,
    AskNewVersions,
    CheckSettings,
    Restart,
    Run,
    WriteFiles,
)
from brave_bridge.core.crossing.settings_before_restart import ALL_THE_SAME, FIRST_MEND
from brave_bridge.core.survey.program_settings import ACCEPTED, refused_since, verdict_of
from brave_bridge.families.baseline.settings import setting_checks
from brave_bridge.runner.performing.new_versions import ask_new_versions
from tests.core.test_cross_script import crossed_facts
from tests.core.test_restart_script import NEW, Restarting, cross, up
from tests.support.facts import plan

SSHD = "refused: /etc/ssh/sshd_config line 12: Bad key types '+ssh-dss'."
NGINX = """nginx: [warn] the "http2" directive is deprecated
nginx: [emerg] unknown directive "ssl" in /etc/nginx/sites-enabled/tides:14
nginx: configuration file /etc/nginx/nginx.conf test failed
"""


@pytest.mark.parametrize(
    ("code", "output", "verdict"),
    [
        (0, "warning: the 'x' option is deprecated", ACCEPTED),
        (255, "/etc/ssh/sshd_config line 12: Bad key types '+ssh-dss'.", SSHD),
        (1, NGINX, 'refused: nginx: [emerg] unknown directive "ssl" in /etc/nginx/sites-enabled'),
        (1, "nginx: [emerg] open() failed (13: Permission denied)", ""),
        (3, "", "refused: it ended with 3"),
        (1, "\x1b[31mfatal: no\x07 such", "refused: fatal: no\ufffd such"),
    ],
)
def test_what_a_program_says_is_read(code, output, verdict):
    said = verdict_of(code, output)
    assert said.startswith(verdict) and bool(said) == bool(verdict)


def test_only_what_was_accepted_before_is_refused_since():
    now = {"sshd": SSHD, "nginx": "refused: x", "exim4": ACCEPTED, "cups": "refused: new"}
    before = {"sshd": ACCEPTED, "nginx": "refused: as before"}
    assert set(refused_since(before, now)) == {"sshd", "cups"}


def test_the_table_asks_each_program_once_and_changes_nothing():
    checks = setting_checks()
    assert len({check.name for check in checks}) == len(checks) >= 25
    assert not {"start", "restart", "reload", "--fix", "-w"} & {w for c in checks for w in c.argv}


def crossing(choice: str | None, **said: str):
    machine = Restarting(up(crossed_facts(), NEW, "b"))
    machine.instead(lambda r: isinstance(r, CheckSettings), SettingsChecked(said))
    if choice:
        machine.instead(
            lambda r: isinstance(r, Ask) and "afar" in r.title, Answered(choice, "person")
        )
    return machine, cross(machine)


def restarted(machine: Restarting) -> bool:
    return any(isinstance(request, Restart) for request in machine.asked)


def test_a_machine_that_nobody_could_come_into_is_not_restarted():
    machine, outcome = crossing(None, sshd=SSHD)
    assert (outcome.state, outcome.at) == ("failed", "restart") and not restarted(machine)
    assert "sshd would not start again: /etc/ssh/sshd_config line 12" in outcome.why
    assert "brave-bridge go-on" in outcome.next_step
    machine, outcome = crossing(FIRST_MEND, sshd=SSHD)
    assert outcome.state == "failed" and not restarted(machine)


def test_with_a_person_s_word_it_is():
    machine, outcome = crossing(ALL_THE_SAME, sshd=SSHD)
    assert restarted(machine) and outcome.state == "done"
    assert any("sshd would not start again" in told for told in outcome.warnings)


def test_another_program_is_told_before_the_restart_and_holds_nothing_up():
    machine, outcome = crossing(None, nginx="refused: unknown directive")
    assert restarted(machine) and outcome.state == "done"
    asked = next(r for r in machine.asked if isinstance(r, Ask) and "Restart the" in r.title)
    assert "nginx would not start again: unknown directive" in asked.detail


def test_a_program_that_gave_no_answer_is_told_before_the_restart():
    machine = Restarting(up(crossed_facts(), NEW, "b"))
    late = SettingsChecked({}, "sshd did not answer in time")
    machine.instead(lambda r: isinstance(r, CheckSettings), late)
    outcome = cross(machine)
    assert restarted(machine) and outcome.state == "done"
    (told,) = [words for words in outcome.warnings if "sshd did not answer in time" in words]
    assert "is not known" in told


KEX = 'Unsupported KEX algorithm "of-old"'


def foreseen(reply, choice: str | None = None):
    machine = Restarting(up(crossed_facts(), NEW, "b"))
    machine.instead(lambda r: isinstance(r, AskNewVersions), reply)
    if choice:
        machine.instead(
            lambda r: isinstance(r, Ask) and "would not start" in r.title,
            Answered(choice, "person"),
        )
    return machine, cross(machine)


def test_what_a_new_version_would_refuse_stops_the_leg_before_any_package():
    machine, outcome = foreseen(SettingsForeseen(4, {"sshd": KEX}))
    assert (outcome.state, outcome.at) == ("stopped", "settings")
    assert outcome.why == f"the new sshd refuses: {KEX}"
    assert "no package was changed" in outcome.safe and "mend these" in outcome.next_step
    written = [r.title for r in machine.asked if isinstance(r, WriteFiles)]
    assert "Put the sources back as they were" in written
    assert not [r for r in machine.asked if isinstance(r, Run) and "Stage" in r.title]


def test_with_a_person_s_word_the_leg_goes_on_and_tells_it():
    _, outcome = foreseen(SettingsForeseen(4, {"nginx": "unknown directive"}), GO_ON)
    assert outcome.state == "done"
    assert "the new nginx refuses: unknown directive" in outcome.warnings


@pytest.mark.parametrize(
    "reply",
    [SettingsForeseen(0, unanswered="no room"), Failed("asking the new versions", "no room")],
)
def test_that_it_is_not_known_is_told_and_holds_nothing_up(reply):
    _, outcome = foreseen(reply)
    assert outcome.state == "done"
    (told,) = [words for words in outcome.warnings if "no room" in words]
    assert told.startswith("whether the new versions accept all settings is not known")


class _Packages:
    """A family's packages, of which only one thing is asked."""

    @staticmethod
    def with_new_versions(machine, lists, changes, stays, asked):
        return Run(title="ask", argv=("ask", *asked))


class _Nothing:
    """A machine without files."""

    files = property(lambda self: self)

    def is_file(self, path: str) -> bool:
        return False

    def remove_folder(self, path: str) -> None:
        assert path == "/var/cache/brave-bridge"


def told(output: str, code: int = 0) -> SettingsForeseen:
    request = AskNewVersions(title="ask", lists="", changes=plan().packages)
    reply = ask_new_versions(
        _Nothing(), _Packages(), request, lambda run: Ran(code, output, 1.0, "j")
    )
    assert isinstance(reply, SettingsForeseen)
    return reply


def test_a_refusal_counts_only_where_it_is_the_new_version_s_own():
    said = told(
        f"[asked] now 0 sshd\n\n[asked] now 1 nginx\nhost not found\n[asked] now 127 named\n"
        f"[asked] then 255 sshd\n{KEX}\n[asked] then 1 nginx\nhost not found\n"
        "[asked] then 127 exim4\n[asked] then 124 cups\n[asked] then 0 named\n"
        "[asked] then 1 sudo\n\n"
    )
    assert said.refused == {"sshd": KEX}
    assert said.unanswered == "nginx, cups, sudo cannot be asked beside the system"


def test_what_could_not_be_asked_says_why():
    said = told("mount: view: unknown filesystem type 'overlay'.\n", 1)
    assert not said.refused and "unknown filesystem type" in said.unanswered
