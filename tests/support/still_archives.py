"""Archives that stand still: what a description of them said once, it says for the whole run.

An archive may publish while the tests run; a plan made before and a crossing made after would
rightly differ then. A proxy on 127.0.0.1 gives every file below ``dists/`` as it was when first
asked for, and passes packages through.
"""

import contextlib
import threading
from collections.abc import Iterator
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from urllib.parse import urlsplit

import httpx
import pytest

_HERE = "127.0.0.1,localhost"
_AS_IT_IS = {"Accept-Encoding": "identity"}
_ASKED_ON = ("Range", "If-Range", "If-None-Match", "If-Modified-Since")
_TOLD_ON = ("Content-Length", "Content-Range", "Content-Type", "ETag", "Last-Modified")
_TIMEOUT = httpx.Timeout(60, connect=15)


@contextlib.contextmanager
def still_archives(*, keep_all: bool = False) -> Iterator[None]:
    """Every program started meanwhile asks the proxy for ``http:`` addresses elsewhere.

    ``keep_all``: packages are kept as well, so that what is measured is no link.
    """
    with httpx.Client(timeout=_TIMEOUT, follow_redirects=True) as client:
        server = ThreadingHTTPServer(("127.0.0.1", 0), _handler(client, keep_all))
        threading.Thread(target=server.serve_forever, args=(0.05,), daemon=True).start()
        try:
            with pytest.MonkeyPatch.context() as patch:
                patch.setenv("http_proxy", f"http://127.0.0.1:{server.server_port}")
                patch.setenv("no_proxy", _HERE)
                yield
        finally:
            server.shutdown()
            server.server_close()


def _handler(client: httpx.Client, keep_all: bool) -> type[BaseHTTPRequestHandler]:
    kept: dict[str, httpx.Response] = {}
    one_asks = threading.Lock()

    class Handler(BaseHTTPRequestHandler):
        protocol_version = "HTTP/1.1"

        def do_GET(self) -> None:
            # Whoever asked may be killed meanwhile: that is what some tests are about.
            with contextlib.suppress(ConnectionError):
                if keep_all or "/dists/" in urlsplit(self.path).path:
                    self._give_kept()
                else:
                    self._pass_through()

        def _give_kept(self) -> None:
            with one_asks:
                if self.path not in kept:
                    kept[self.path] = client.get(self.path, headers=_AS_IT_IS)
                answer = kept[self.path]
                if answer.is_server_error:
                    del kept[self.path]
            since = self.headers.get("If-Modified-Since")
            if since is not None and since == answer.headers.get("Last-Modified"):
                self._begin(304, httpx.Headers({"Content-Length": "0"}))
            else:
                self._begin(answer.status_code, answer.headers)
                self.wfile.write(answer.content)

        def _pass_through(self) -> None:
            headers = {name: self.headers[name] for name in _ASKED_ON if name in self.headers}
            with client.stream("GET", self.path, headers=headers | _AS_IT_IS) as answer:
                self._begin(answer.status_code, answer.headers)
                for piece in answer.iter_raw():
                    self.wfile.write(piece)

        def _begin(self, code: int, headers: httpx.Headers) -> None:
            self.send_response(code)
            for name in _TOLD_ON:
                if name in headers:
                    self.send_header(name, headers[name])
            if "Content-Length" not in headers:
                self.send_header("Connection", "close")
            self.end_headers()

        def log_message(self, *words) -> None:
            pass

    return Handler
