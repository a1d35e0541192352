"""A person's own checks: set, asked before and after, and held by their severity."""

import contextlib
import http.server
import socket
import threading
import time

import pytest

from brave_bridge.core.proof.checks import (
    AS_EXPECTED,
    FAILS,
    MINOR,
    TELLS,
    OwnCheck,
    fault_of,
    held,
)
from brave_bridge.families.registry import baseline
from brave_bridge.machines.standin import live
from brave_bridge.runner.briefs import CrossBrief
from brave_bridge.runner.checking import ask_checks
from brave_bridge.workbench.kept.own_checks import (
    all_checks,
    checks_for,
    forget_check,
    set_check,
    suggested,
)
from brave_bridge.workbench.planning.plans import Plans
from brave_bridge.workbench.refusal import Refused
from tests.support.runs import begin, carry_out, outcome_of


@pytest.fixture(autouse=True)
def own_state(monkeypatch, tmp_path):
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))


@pytest.fixture
def page():
    class Page(http.server.BaseHTTPRequestHandler):
        def do_GET(self):
            if self.path == "/drips":
                self.send_response(200)
                self.end_headers()
                with contextlib.suppress(OSError):
                    for _ in range(200):
                        self.wfile.write(b".")
                        time.sleep(0.05)
                return
            found = self.path == "/tides"
            self.send_response(200 if found else 404)
            self.end_headers()
            self.wfile.write("High water at Sørvær: 06:12\n".encode() if found else b"")

        def log_message(self, *words):
            pass

    server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), Page)
    threading.Thread(target=server.serve_forever, args=(0.05,), daemon=True).start()
    yield f"http://127.0.0.1:{server.server_port}"
    server.shutdown()
    server.server_close()


def check(kind: str, *target: str, **options) -> OwnCheck:
    return OwnCheck(name=f"a {kind}", kind=kind, target=target, **options)


def answer(machine, one: OwnCheck) -> str:
    (topic,) = ask_checks(machine, (one,))
    return topic.values[one.name]


def test_each_kind_is_asked(stand_in, page):
    machine = stand_in("petrel").machine
    port = page.rpartition(":")[2]
    wanted = "200 High water"
    assert answer(machine, check("http", f"{page}/tides", expected=wanted)) == AS_EXPECTED
    assert answer(machine, check("http", f"{page}/x", expected="200")).startswith(FAILS)
    assert answer(machine, check("http", f"{page}/x")) == f"{TELLS}404"
    dripping = check("http", f"{page}/drips", expected="200", seconds=1)
    assert "did not end within 1 s" in answer(machine, dripping)
    assert answer(machine, check("tcp", "127.0.0.1", port)) == f"{TELLS}it answers"
    with socket.socket() as closed:
        closed.bind(("127.0.0.1", 0))
        number = str(closed.getsockname()[1])
    assert answer(machine, check("tcp", "127.0.0.1", number)).startswith(FAILS)
    assert answer(machine, check("dns", "localhost")).startswith(TELLS)
    assert answer(machine, check("file", "/etc/os-release")) == f"{TELLS}there"
    assert answer(machine, check("file", "/etc/nowhere")).startswith(FAILS)
    shown = answer(machine, check("command", "timedatectl", "show"))
    assert shown.startswith(TELLS) and "NTPSynchronized=yes" in shown
    assert answer(machine, check("command", "no-such-tool")).startswith(f"{FAILS}it ended with 127")
    assert answer(machine, check("sql", "postgresql", "select 1")).startswith(FAILS)


def test_an_answer_is_held_against_the_line_that_is_wanted():
    assert held(check("command", "x", expected="b"), "a\nb\n") == AS_EXPECTED
    assert "'c' was expected" in held(check("command", "x", expected="c"), "a\nb")


@pytest.mark.parametrize(
    ("made", "why"),
    [
        (check("ftp", "x"), "ftp is none of"),
        (check("tcp", "x", "port"), "a host and a port"),
        (check("http", "x"), "begins with http"),
        (check("sql", "oracle", "select 1"), "sql needs one of"),
        (check("file", "etc/x"), "from the root"),
        (check("command"), "needs a name"),
    ],
)
def test_what_makes_no_sense_is_refused(made, why):
    assert why in fault_of(made)
    with pytest.raises(Refused, match=why):
        set_check("demo", made)
    assert all_checks("demo") == ()


def test_they_are_kept_by_machine_role_and_fleet(stand_in):
    desk = stand_in("petrel")
    facts = desk.facts()
    set_check("demo", check("file", "/a"))
    set_check("demo", OwnCheck(name="web", kind="file", target=("/b",), role="web server"))
    set_check("demo", OwnCheck(name="other", kind="file", target=("/c",), machines=("knot",)))
    set_check("demo", OwnCheck(name="mail", kind="file", target=("/d",), role="desktop"))
    assert [one.name for one in checks_for("demo", "petrel", facts)] == ["a file", "web"]
    forget_check("demo", "web")
    with pytest.raises(Refused, match="no check web"):
        forget_check("demo", "web")


def test_what_listens_suggests_checks_once(stand_in):
    desk = stand_in("petrel")
    facts = baseline(desk.machine, "deb")
    found = list(suggested("demo", facts))
    kinds = {(one.kind, one.target[-1]) for one in found}
    assert ("tcp", "5432") in kinds and any(kind == "http" for kind, _ in kinds)
    assert all(fault_of(one) == "" and one.machines == ("petrel",) for one in found)
    set_check("demo", found[0])
    assert len(list(suggested("demo", facts))) == len(found) - 1


@pytest.mark.parametrize(("severity", "passed"), [("grave", False), (MINOR, True)])
def test_a_check_that_fails_after_the_leg_is_in_the_proof(stand_in, severity, passed):
    desk = stand_in("petrel")
    described = live.load(desk.machine.root)
    described.troubles = ["fails: quay-webd.service"]
    live.save(desk.machine.root, described)
    watch = OwnCheck(
        name="web unit",
        kind="command",
        target=("systemctl", "list-units", "--all"),
        severity=severity,
    )
    begin(desk, CrossBrief("deb", Plans(desk).make("7").legs, checks=(watch,)))
    assert carry_out(desk.machine.root, "petrel", "trial") == 0
    proof = outcome_of(desk.machine.root, "petrel", "trial").proof
    (found,) = [one for one in proof.differences if one.subject == "web unit"]
    assert found.verdict == ("regression" if severity == "grave" else "unexplained")
    assert found.meaning == "it tells something else than before"
    # The unit itself fails: that is worse with any severity of the check.
    assert [one.subject for one in proof.differences if one.verdict == "regression"] == [
        *(["web unit"] if not passed else []),
        "quay-webd.service",
    ]
