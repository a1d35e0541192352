"""Addresses of databases: URLs as SQLAlchemy reads them, looked at without that library."""

from pathlib import Path

_SQLITE = "sqlite:///"


def is_file(address: str) -> bool:
    """Whether it names an SQLite file."""
    return address.startswith(_SQLITE)


def is_stored(address: str) -> bool:
    """Whether a database is there; one that is no file is taken to be."""
    return not is_file(address) or sqlite_file(address).is_file()


def sqlite_file(address: str) -> Path:
    """The file of an SQLite database; ValueError where the address names another kind."""
    if not is_file(address):
        raise ValueError(f"no address of an SQLite file: {address!r}")
    return Path(address.removeprefix(_SQLITE))
