"""The made-up network of a stand-in: archives are folders, other hosts are not there."""

from pathlib import Path
from urllib.parse import unquote

import httpx


class FolderTransport(httpx.BaseTransport):
    """Answers from folders; ``archives`` maps the beginning of an address to one."""

    def __init__(self, archives: dict[str, str]) -> None:
        self._archives = archives

    def handle_request(self, request: httpx.Request) -> httpx.Response:
        """The file that an address names, 404 where there is none."""
        address = unquote(str(request.url))
        for beginning, folder in self._archives.items():
            if address.startswith(beginning):
                return self._answer(Path(folder), address[len(beginning) :].lstrip("/"))
        raise httpx.ConnectError(f"could not resolve {request.url.host}", request=request)

    @staticmethod
    def _answer(folder: Path, path: str) -> httpx.Response:
        place = (folder / path).resolve()
        if not place.is_relative_to(folder.resolve()) or not place.is_file():
            return httpx.Response(404)
        return httpx.Response(200, stream=httpx.ByteStream(place.read_bytes()))
