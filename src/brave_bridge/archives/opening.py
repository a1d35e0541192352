"""Opening what fetches for a machine: the network, or a stand-in's made-up one."""

from collections.abc import Iterator
from contextlib import contextmanager

import httpx

from brave_bridge.archives.download import Downloader
from brave_bridge.archives.store import store_of
from brave_bridge.core.formats.apt_conf import proxy_for, read_logins, read_settings
from brave_bridge.core.formats.text import told_by_system
from brave_bridge.machines.port import Machine, MachineError
from brave_bridge.machines.secrets import login_for

_SETTINGS = ("/etc/apt/apt.conf.d/*", "/etc/apt/apt.conf")
_LOGINS = ("/etc/apt/auth.conf", "/etc/apt/auth.conf.d/*.conf")
_LIMIT = 1_000_000
_CERTIFICATES = (
    "SSL_CERT_FILE and SSL_CERT_DIR of the environment name files that are there, or are unset"
)
ONIONS = "socks5://localhost:9050"
"""Where a Tor client listens by itself, for addresses that begin with ``tor+``."""


@contextmanager
def downloader_of(machine: Machine) -> Iterator[Downloader]:
    """What gets files of archives for a machine; closed afterwards."""
    partial = store_of(machine).folder / "partial"
    logins = [login for text in _texts(machine, _LOGINS) for login in read_logins(text)]

    def login(address: str) -> tuple[str, str] | None:
        own = login_for(machine, address)
        return own or next(
            ((one.name, one.password) for one in logins if one.is_for(address)), None
        )

    transport = _transport(machine)
    settings = {} if transport else read_settings(_texts(machine, _SETTINGS))
    onions = "" if transport else settings.get("acquire::tor::proxy", ONIONS)
    proxies = _proxies(settings)
    try:
        downloader = Downloader(machine.files, partial, transport, proxies, onions, login)
    except OSError as error:
        what = "reading the certificates by which servers are known"
        raise MachineError(what, machine.name, told_by_system(error), _CERTIFICATES) from error
    try:
        yield downloader
    finally:
        downloader.close()


def _texts(machine: Machine, patterns: tuple[str, ...]) -> Iterator[str]:
    for path in (path for pattern in patterns for path in sorted(machine.files.matching(pattern))):
        yield (machine.files.read_if_there(path, _LIMIT) or b"").decode("utf-8", "replace")


def _proxies(settings: dict[str, str]) -> dict[str, str | None]:
    """The proxies of the machine's own settings: for all, and for single hosts."""
    found: dict[str, str | None] = {}
    for scheme in ("http", "https"):
        if proxy := proxy_for(settings, f"{scheme}://any.invalid/"):
            found[f"{scheme}://"] = proxy
        beginning = f"acquire::{scheme}::proxy::"
        for name in settings:
            if name.startswith(beginning):
                host = name.removeprefix(beginning)
                found[f"{scheme}://{host}"] = proxy_for(settings, f"{scheme}://{host}/") or None
    return found


def _transport(machine: Machine) -> httpx.BaseTransport | None:
    if not machine.is_pretended:
        return None
    from brave_bridge.machines.standin.fetch import read_settings
    from brave_bridge.machines.standin.transport import FolderTransport

    return FolderTransport(read_settings(machine).archives)
