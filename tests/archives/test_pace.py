"""A download always ends: also of a server that goes on giving, and next to nothing."""

import threading
import time
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

import pytest

from brave_bridge.archives import download
from brave_bridge.archives.download import Downloader
from brave_bridge.archives.fault import ArchiveFault
from brave_bridge.machines.folder import FolderFiles
from brave_bridge.machines.opening.beneath import Beneath


class Dripping(BaseHTTPRequestHandler):
    def do_GET(self):
        self.send_response(200)
        self.send_header("Content-Length", "100000")
        self.end_headers()
        try:
            for _ in range(200):
                self.wfile.write(b"x")
                self.wfile.flush()
                time.sleep(0.05)
        except OSError:
            return

    def log_message(self, *_):
        pass


@pytest.fixture
def address():
    server = ThreadingHTTPServer(("127.0.0.1", 0), Dripping)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    yield f"http://127.0.0.1:{server.server_address[1]}/Packages"
    server.shutdown()
    server.server_close()


@pytest.mark.parametrize("exactly", [True, False])
@pytest.mark.parametrize("limit", ["SLOW_SECONDS", "MOST_SECONDS"])
def test_a_server_that_drips_is_given_up(address, tmp_path, monkeypatch, exactly, limit):
    monkeypatch.setattr(download, limit, 0.4)
    downloader = Downloader(FolderFiles("tree", tmp_path), Beneath(tmp_path, "partial"))
    with pytest.raises(ArchiveFault) as told:
        if exactly:
            downloader.get_exactly(address, "0" * 64, 100_000)
        else:
            downloader.get(address, 200_000)
    assert "seconds" in str(told.value) and address in str(told.value)
    downloader.close()


def test_a_slow_link_that_gives_enough_is_waited_for(address, tmp_path, monkeypatch):
    monkeypatch.setattr(download, "SLOW_SECONDS", 0.3)
    monkeypatch.setattr(download, "LEAST_BYTES_A_SECOND", 5)
    monkeypatch.setattr(download, "MOST_SECONDS", 1.5)
    downloader = Downloader(FolderFiles("tree", tmp_path), Beneath(tmp_path, "partial"))
    with pytest.raises(ArchiveFault, match="was not done after"):
        downloader.get(address, 200_000)
    downloader.close()
