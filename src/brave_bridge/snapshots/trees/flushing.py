"""Writing out while there is more to copy, so that not all of it waits for the end.

A kernel keeps what is written for half a minute or until much has gathered; a copy would then
work first and wait for the disk afterwards.
"""

from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path
from types import TracebackType

from brave_bridge.snapshots.trees.system_calls import sync_file_system

_EVERY_BYTES = 128 << 20


class Flushing:
    """Flushes a folder's file system in the background each time that much was written to it."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._flushed = 0
        self._under_way: Future | None = None

    def __enter__(self) -> "Flushing":
        self._thread = ThreadPoolExecutor(1)
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self._thread.shutdown()

    def written(self, total: int) -> None:
        """Told how many bytes were written so far; errors are those of the flush before."""
        if total - self._flushed < _EVERY_BYTES:
            return
        if self._under_way is not None:
            if not self._under_way.done():
                return
            self._under_way.result()
        self._flushed = total
        self._under_way = self._thread.submit(sync_file_system, self.folder)
