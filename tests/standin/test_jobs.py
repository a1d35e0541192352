"""Jobs: detached commands that outlive whoever started them."""

import os
import signal
import time

import pytest

from brave_bridge.core.crossing.requests import Run
from brave_bridge.machines import jobs
from brave_bridge.machines.opening.beneath import Beneath
from brave_bridge.runner.performer import Performer


@pytest.fixture
def job(tmp_path) -> Beneath:
    return Beneath(tmp_path) / "j"


def wait(folder: Beneath, seconds: float = 10.0) -> jobs.JobState:
    deadline = time.monotonic() + seconds
    while (state := jobs.state_of(folder)).state == "running" and time.monotonic() < deadline:
        time.sleep(0.01)
    return state


def start(folder: Beneath, *argv: str, **environment: str) -> None:
    jobs.launch(folder, argv, environment, argv)


def test_output_code_and_status_are_kept(job):
    start(
        job,
        "sh",
        "-c",
        'echo "$TIDE"; echo err >&2; echo pmstatus:a:1:x >&3; exit 7',
        TIDE="high",
    )
    state = wait(job)
    assert (state.state, state.exit_code) == ("ended", 7) and state.seconds >= 0
    assert jobs.output_of(job, 100) == b"high\nerr\n"
    assert jobs.last_status(job) == "pmstatus:a:1:x"


def test_arguments_are_never_a_shell_line(job):
    start(job, "printf", "%s|", "a b", "$(id)", "; rm -rf x", "'\"", "--", "é\n")
    wait(job)
    assert jobs.output_of(job, 1000).decode() == "a b|$(id)|; rm -rf x|'\"|--|é\n|"


def test_a_second_start_does_not_run_it_twice(tmp_path, job):
    for _ in range(3):
        start(job, "sh", "-c", f"echo once >> {tmp_path}/count; sleep 0.2")
    wait(job)
    assert (tmp_path / "count").read_text() == "once\n"


def test_a_job_goes_on_when_its_starter_is_killed(job):
    child = os.fork()
    if child == 0:
        start(job, "sh", "-c", "sleep 0.5; echo finished")
        os.kill(os.getpid(), signal.SIGKILL)
    os.waitpid(child, 0)
    assert wait(job).exit_code == 0
    assert jobs.output_of(job, 100) == b"finished\n"


def test_a_killed_job_is_lost(tmp_path, job):
    start(job, "sleep", "60")
    while not (tmp_path / "j/pid").exists():
        time.sleep(0.01)
    os.killpg(int((tmp_path / "j/pid").read_text()), signal.SIGKILL)
    assert wait(job).state == "lost"


def test_a_living_job_is_not_lost_whatever_became_of_its_notes(job):
    start(job, "sleep", "30")
    pid = int((job / "pid").read(20))
    for name in ("pid", "birth"):
        (job / name).remove()
    os.utime(str(job / "claimed"), (0, 0))
    assert jobs.state_of(job).state == "running"
    os.killpg(pid, signal.SIGKILL)
    assert wait(job).state == "lost"


def test_a_number_that_another_process_has_by_now_is_not_its_job(job):
    start(job, "true")
    wait(job)
    (job / "code").remove()
    (job / "birth").remove()
    (job / "pid").write(f"{os.getpid()}\n".encode())
    assert wait(job).state == "lost"


def test_a_long_output_loses_its_middle(job):
    start(job, "sh", "-c", "echo first; yes middle | head -20000; echo last")
    wait(job)
    shown = jobs.output_of(job, 1000)
    assert shown.startswith(b"first") and shown.endswith(b"last\n") and len(shown) < 1100
    assert b"bytes are in the job's folder" in shown


def test_a_command_that_is_silent_is_told_by_its_newest_output(stand_in, monkeypatch):
    desk = stand_in("petrel")
    monkeypatch.setattr("brave_bridge.runner.performer.SILENT_SECONDS", 0.1)
    performer = Performer(desk.machine, "deb", desk.beside, "trial")
    performer.poll_seconds = 0.02
    monkeypatch.setattr(desk.machine.jobs, "_wrapped", list)
    status = "pmstatus:debianutils:40:Installed debianutils"
    script = f"echo '{status}' >&3; echo 'Generating /boot/x'; sleep 0.6"
    told: list[tuple[float, str]] = []
    run = Run(title="Stage", argv=("sh", "-c", script), reports_progress=True)
    performer.perform(0, run, lambda percent, note, job: told.append((percent, note)))
    assert told[0] == (40.0, "Installed debianutils") and told[-1] == (40.0, "Generating /boot/x")


def test_what_has_to_end_well_first_does_so_in_the_same_job(tmp_path):
    said = ["printf", "%s|", "a b", "; rm -rf x"]
    for code, output in (("0", b"first\na b|; rm -rf x|"), ("3", b"first\n")):
        folder = Beneath(tmp_path) / code
        before = ["sh", "-c", 'echo "$1"; exit "$2"', "sh", "first", code]
        jobs.launch(folder, said, {}, said, before)
        assert wait(folder).exit_code == int(code)
        assert jobs.output_of(folder, 100) == output


STOOD_THERE = ("output", "status", "pid.new", "began", "code.new", "command.json", "held")


@pytest.mark.parametrize("name", STOOD_THERE)
def test_what_stands_in_a_job_s_place_is_neither_written_to_nor_waited_for(tmp_path, job, name):
    outside = tmp_path / "outside"
    outside.write_text("kept")
    (tmp_path / "j").mkdir()
    (tmp_path / "j" / name).symlink_to(outside)
    for other in {"output", "code"} - {name}:
        os.mkfifo(tmp_path / "j" / other)
    start(job, "echo", "done")
    assert wait(job).exit_code == 0 and jobs.output_of(job, 100) == b"done\n"
    assert outside.read_text() == "kept"
