"""Holding off sleep and shutdown while a machine changes (systemd-inhibit(1))."""

import contextlib
import shutil
import subprocess

_ANSWER_SECONDS = 20


class HeldOff:
    """Nobody shuts the machine down or sends it to sleep without being told; ``why`` is named.

    That holds until it is let go, and ends with this process, however that ends.
    """

    def __init__(self, why: str) -> None:
        self._why = why
        self._holding: subprocess.Popen[bytes] | None = None

    def begin(self) -> None:
        """Hold them off, where somebody answers who can."""
        if self._holding is not None or not _somebody_answers():
            return
        words = ("--what=shutdown:sleep:idle", "--who=Brave Bridge", f"--why={self._why}")
        # What it runs ends when this end of the pipe is closed, be it by the end of this process.
        with contextlib.suppress(OSError):
            self._holding = subprocess.Popen(
                ["systemd-inhibit", *words, "--mode=block", "cat"],
                stdin=subprocess.PIPE,
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
                start_new_session=True,
                cwd="/",
            )

    def let_go(self) -> None:
        """Hold them off no longer; a restart of our own is refused before."""
        holding, self._holding = self._holding, None
        if holding is None or holding.stdin is None:
            return
        with contextlib.suppress(OSError):
            holding.stdin.close()
        try:
            holding.wait(_ANSWER_SECONDS)
        except subprocess.TimeoutExpired:
            holding.kill()
            holding.wait()


def _somebody_answers() -> bool:
    if shutil.which("systemd-inhibit") is None:
        return False
    try:
        asked = subprocess.run(
            ["systemd-inhibit", "--list", "--no-pager"],
            capture_output=True,
            check=False,
            timeout=_ANSWER_SECONDS,
        )
    except (OSError, subprocess.TimeoutExpired):
        return False
    return asked.returncode == 0
