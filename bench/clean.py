"""Clean real trees over two legs each: ten crossings, and every word that is not as it should be.

``python -m bench.clean`` takes copies of Debian 11 with different servers to 13 and prints a row
for each: how it ended, and what of its proof and warnings a person would stop at. Their packages
come through one proxy on 127.0.0.1, which keeps them.
"""

import tempfile
import time
from pathlib import Path

from tests.support import lab
from tests.support.still_archives import still_archives

from bench.leg import fresh_tree
from bench.messes import ask, row
from brave_bridge.core.proof.difference import NOT_READ, REGRESSION, UNEXPLAINED

TREES: dict[str, tuple[str, ...]] = {
    "cron alone": (),
    "web and ssh (nginx, openssh, rsyslog)": ("nginx-light", "openssh-server", "rsyslog"),
    "systemd, message bus, ssh": ("systemd-sysv", "dbus", "openssh-server"),
    "web and mail (apache, exim, logrotate)": ("apache2", "exim4-daemon-light", "logrotate"),
    "names, files and scripts (bind, samba, sudo, python)": (
        "bind9",
        "samba",
        "sudo",
        "python3",
    ),
}
_STOPPED_AT = (REGRESSION, NOT_READ, UNEXPLAINED)


def run_all() -> None:
    """Each tree in turn, and a row for each."""
    if reason := lab.why_not():
        print(f"left out, clean crossings: {reason}")
        return
    print("| tree | ended | legs | time | worse | unexplained, or warned of |\n" + "|---" * 6 + "|")
    with still_archives(keep_all=True), tempfile.TemporaryDirectory(dir="/var/tmp") as name:
        for number, (title, packages) in enumerate(TREES.items()):
            tree = fresh_tree(Path(name) / str(number), lab.small())
            if packages:
                lab.install(tree, list(packages))
            print(_row(title, tree), flush=True)


def _row(title: str, tree: Path) -> str:
    ask(tree, "update", "--yes")
    began = time.monotonic()
    _, ended = ask(tree, "cross", "--to", "13", "--yes")
    seconds = time.monotonic() - began
    outcome = ended.get("outcome") or ended
    proof = outcome.get("proof") or {"passed": None, "differences": []}
    points = [one for one in proof["differences"] if one["verdict"] in _STOPPED_AT]
    worse = [one["subject"] for one in points if one["verdict"] == REGRESSION]
    others = [one for one in points if one["verdict"] != REGRESSION]
    said = [f"{one['subject']}: {one['meaning']}" for one in others]
    said += outcome.get("warnings", ())
    state = f"{outcome.get('state', 'refused')}, {'proven' if proof['passed'] else 'not proven'}"
    if outcome.get("why"):
        state += f": {outcome['why']}"
    return row(
        (
            title,
            state,
            str(outcome.get("legs_done", 0)),
            f"{seconds:.0f} s",
            "; ".join(worse) or "nothing",
            "; ".join(said) or "nothing",
        )
    )


if __name__ == "__main__":
    run_all()
