"""A signed archive on 127.0.0.1 that can be cut off, changed and asked again."""

import gzip
import hashlib
import lzma
import threading
from datetime import UTC, datetime, timedelta
from email.utils import format_datetime
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

import zstandard

from brave_bridge.machines.standin.signing import make_key

PACKAGES = b"Package: tided\nVersion: 2\nArchitecture: amd64\n\nPackage: gauge\nVersion: 1\n\n"
PACKERS = {
    ".xz": lzma.compress,
    ".gz": gzip.compress,
    ".zst": zstandard.ZstdCompressor().compress,
    "": bytes,
}


class ArchiveServer:
    """Serves ``files`` (path to content). ``cut_after``: answers end after that many bytes.

    ``asked`` lists what was asked for: path, Range, and the code of the answer.
    """

    def __init__(self) -> None:
        self.key, self.sign = make_key("Tide Archive <archive@northlight.example>")
        self.files: dict[str, bytes] = {}
        self.cut_after = 0
        self.asked: list[tuple[str, str, int]] = []
        self._server = ThreadingHTTPServer(("127.0.0.1", 0), self._handler())
        self._thread = threading.Thread(
            target=self._server.serve_forever, args=(0.02,), daemon=True
        )
        self._thread.start()

    @property
    def uri(self) -> str:
        """Where the archive is."""
        return f"http://127.0.0.1:{self._server.server_address[1]}/tide"

    def close(self) -> None:
        """Stop serving."""
        self._server.shutdown()
        self._server.server_close()
        self._thread.join()

    def publish(
        self,
        packages: bytes = PACKAGES,
        *,
        suite: str = "diamond",
        ending: str = ".xz",
        days: int = 7,
        made: datetime | None = None,
        by_hash: bool = False,
        sign=None,
        **fields: str,
    ) -> None:
        """Put a suite up: its index in one packing, its description signed."""
        made = made or datetime.now(UTC)
        name = "main/binary-amd64/Packages"
        packed = PACKERS[ending](packages)
        rows = [(name, packages), (name + ending, packed)]
        sums = "".join(f" {_sum(c)} {len(c)} {path}\n" for path, c in dict(rows).items())
        values = {
            "Origin": "Tide",
            "Suite": suite,
            "Codename": suite,
            "Date": format_datetime(made).replace("+0000", "UTC"),
            "Valid-Until": format_datetime(made + timedelta(days=days)).replace("+0000", "UTC"),
            "Acquire-By-Hash": "yes" if by_hash else "no",
            **fields,
        }
        text = "".join(f"{key}: {value}\n" for key, value in values.items()) + f"SHA256:\n{sums}"
        base = f"/tide/dists/{suite}"
        self.files[f"{base}/InRelease"] = (sign or self.sign)(text).encode()
        place = f"main/binary-amd64/by-hash/SHA256/{_sum(packed)}" if by_hash else name + ending
        self.files[f"{base}/{place}"] = packed

    def _handler(self):
        server = self

        class Handler(BaseHTTPRequestHandler):
            def do_GET(self) -> None:
                content = server.files.get(self.path)
                wanted = self.headers.get("Range", "")
                etag = f'"{_sum(content or b"")[:16]}"'
                if content is None:
                    return self._answer(404, b"", wanted)
                if self.headers.get("If-None-Match") == etag:
                    return self._answer(304, b"", wanted)
                if wanted.startswith("bytes="):
                    start = int(wanted[6:].rstrip("-"))
                    return self._answer(206, content[start:], wanted)
                return self._answer(200, content, wanted, etag)

            def _answer(self, code: int, content: bytes, wanted: str, etag: str = "") -> None:
                server.asked.append((self.path, wanted, code))
                self.send_response(code)
                self.send_header("Content-Length", str(len(content)))
                if etag:
                    self.send_header("ETag", etag)
                self.end_headers()
                cut = server.cut_after and self.path.endswith(("xz", "gz", "zst", "bundle"))
                self.wfile.write(content[: server.cut_after] if cut else content)

            def log_message(self, *words) -> None:
                pass

        return Handler


def _sum(content: bytes) -> str:
    return hashlib.sha256(content).hexdigest()
