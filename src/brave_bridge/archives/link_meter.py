"""How fast a link is: bytes received over the time in which anything was being received."""

import contextlib
import threading
import time
from collections.abc import Callable, Iterator


class LinkMeter:
    """Counts what several transfers at a time receive. ``received`` in bytes, ``seconds`` in all.

    Time counts once, however many transfers share it.
    """

    def __init__(self, clock: Callable[[], float] = time.monotonic) -> None:
        self.received = 0
        self.seconds = 0.0
        self._clock = clock
        self._lock = threading.Lock()
        self._at_work = 0
        self._since = 0.0

    @contextlib.contextmanager
    def receiving(self) -> Iterator[None]:
        """While one transfer is under way."""
        with self._lock:
            if not self._at_work:
                self._since = self._clock()
            self._at_work += 1
        try:
            yield
        finally:
            with self._lock:
                self._at_work -= 1
                if not self._at_work:
                    self.seconds += self._clock() - self._since

    def saw(self, length: int) -> None:
        """So many bytes came."""
        with self._lock:
            self.received += length
