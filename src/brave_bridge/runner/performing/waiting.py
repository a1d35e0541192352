"""Waiting for what goes on beside a procedure: a command's answer, commands left behind."""

import time

from brave_bridge.core.crossing.replies import Awaited, Done, Failed, Reply
from brave_bridge.core.crossing.requests import AwaitAnswer, AwaitJobs, LetPass
from brave_bridge.core.formats.hidden import hide
from brave_bridge.core.formats.text import one_line
from brave_bridge.machines.port import Machine
from brave_bridge.machines.queries import Answers
from brave_bridge.runner.performing.ways_back import Report


def await_answer(machine: Machine, request: AwaitAnswer, pause: float, report: Report) -> Reply:
    """See AwaitAnswer. It is asked every ``pause`` seconds."""
    began = time.monotonic()
    while True:
        answer = machine.files.gather((Answers((request.argv,)),)).answer(*request.argv)
        told, waited = answer.output.strip(), time.monotonic() - began
        if (answer.ok and told in request.wanted) or (not answer.ok and request.or_failure):
            return Awaited(told, waited)
        if waited >= request.limit_seconds:
            return Failed(request.title, f"after {waited:.0f} s it is still: {one_line(told)}")
        report(100 * waited / request.limit_seconds, one_line(told, 40), "")
        time.sleep(pause)


def let_pass(machine: Machine, request: LetPass, pause: float, report: Report) -> Reply:
    """See LetPass. A stand-in needs no time: nothing of it comes up by itself."""
    began, waited = time.monotonic(), 0.0
    while machine.kind != "stand-in" and waited < request.seconds:
        report(100 * waited / request.seconds, "", "")
        time.sleep(pause)
        waited = time.monotonic() - began
    return Done(f"{request.seconds} s")


def await_jobs(machine: Machine, request: AwaitJobs, pause: float, report: Report) -> Reply:
    """See AwaitJobs. They are looked at every ``pause`` seconds."""
    began = time.monotonic()
    while running := machine.jobs.running():
        waited, job = time.monotonic() - began, running[0]
        if waited >= request.limit_seconds:
            return Failed(
                request.title,
                f"after {waited:.0f} s {', '.join(running)} still runs",
                f"what runs is in {machine.state.where}/jobs/{job}: command.json, its process in "
                "pid; end it, and try again",
            )
        words = one_line(hide(machine.jobs.last_line(job)), 60)
        report(100 * waited / request.limit_seconds, words, job)
        time.sleep(pause)
    return Awaited("", time.monotonic() - began)
