"""A small SQLite file of our own: opened durably, its faults told in sentences.

What is damaged is told apart from what is full, locked or not to be reached: only a damaged
file may be set aside.
"""

import os
import sqlite3
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import partial
from pathlib import Path
from typing import Any

from sqlalchemy import (
    Column,
    Connection,
    Executable,
    MetaData,
    RowMapping,
    Table,
    Update,
    create_engine,
    event,
    inspect,
    text,
)
from sqlalchemy.exc import DBAPIError, SQLAlchemyError

from brave_bridge.machines.opening.named import ours_at
from brave_bridge.store.address import sqlite_file
from brave_bridge.store.faults import DamagedDatabase, DatabaseError

_WAIT_SECONDS = 30

RECORD_GONE = "a record that was written is gone"
_HEADER = b"SQLite format 3\0"
_CHANGE_COUNTER = (4, 24)
"""How many bytes it has, and where it stands."""

_DAMAGED = frozenset({sqlite3.SQLITE_CORRUPT, sqlite3.SQLITE_NOTADB, sqlite3.SQLITE_ERROR})
"""The primary result codes of a file that is no database of ours (sqlite.org/rescode.html).

SQLITE_ERROR is what a table or a column that is missing gives.
"""

_WORDS = {
    sqlite3.SQLITE_FULL: "the disk is full",
    sqlite3.SQLITE_BUSY: f"another program kept it locked for {_WAIT_SECONDS} seconds",
    sqlite3.SQLITE_READONLY: "it, or its disk, can only be read",
    sqlite3.SQLITE_CANTOPEN: "it cannot be opened",
    sqlite3.SQLITE_IOERR: "the disk gave an error",
    sqlite3.SQLITE_PERM: "permission denied",
    sqlite3.SQLITE_NOTADB: "it is damaged: no database",
    sqlite3.SQLITE_CORRUPT: "it is damaged",
}


class Database:
    """The database of a schema, made where it is missing. DatabaseError where that is refused."""

    def __init__(self, address: str, schema: MetaData) -> None:
        self._file = sqlite_file(address)
        self.where = str(self._file)
        _must_be_database(self._file)
        self._engine = create_engine(
            address,
            connect_args={"timeout": _WAIT_SECONDS, "check_same_thread": False},
        )
        event.listen(self._engine, "connect", _make_durable)
        try:
            with self._told():
                schema.create_all(self._engine)
                self._add_columns(schema)
        except DatabaseError:
            self.close()
            raise

    def close(self) -> None:
        """Let go of the file."""
        self._engine.dispose()

    @property
    def change(self) -> bytes:
        """The file's change counter, which every transaction moves (sqlite.org/fileformat2.html).

        Times and sizes would not do: two writes within a tick of the clock leave both alike.
        """
        with ours_at(self._file).opened() as stream:
            return os.pread(stream.fileno(), *_CHANGE_COUNTER)

    def must_be_sound(self) -> None:
        """DamagedDatabase where SQLite finds a fault in the file (PRAGMA quick_check)."""
        with self.reading() as connection:
            found = connection.execute(text("PRAGMA quick_check(1)")).scalar()
        if found != "ok":
            raise DamagedDatabase(self.where, f"it is damaged: {found}")

    @contextmanager
    def reading(self) -> Iterator[Connection]:
        """A connection to read by, whose errors are told as DatabaseError."""
        with self._told(), self._engine.connect() as connection:
            yield connection

    @contextmanager
    def writing(self) -> Iterator[Connection]:
        """The same in a transaction, which ends with all that was written in it, or nothing."""
        with self._told(), self._engine.begin() as connection:
            yield connection

    def write(self, statement: Executable) -> None:
        """Carry a statement out in a transaction of its own."""
        with self.writing() as connection:
            connection.execute(statement)

    def change_one(self, change: Update) -> None:
        """Change a record; DamagedDatabase where it is there no more."""
        with self.writing() as connection:
            if not connection.execute(change).rowcount:
                raise DamagedDatabase(self.where, RECORD_GONE)

    @contextmanager
    def _told(self) -> Iterator[None]:
        try:
            yield
        except SQLAlchemyError as error:
            raise _error(self.where, error) from error

    def _add_columns(self, schema: MetaData) -> None:
        """Give the tables of an older file the columns that came since."""
        known = inspect(self._engine)
        for table in schema.sorted_tables:
            there = {column["name"] for column in known.get_columns(table.name)}
            for column in table.columns:
                if column.name not in there and column.server_default is not None:
                    kind = column.type.compile(self._engine.dialect)
                    added = f"ALTER TABLE {table.name} ADD COLUMN {column.name} {kind} DEFAULT ''"
                    with self._engine.begin() as connection:
                        connection.execute(text(added))


def values_of(table: Table, row: RowMapping) -> dict[str, Any]:
    """A record's values, each of its column's type, by the columns' names.

    SQLite keeps whatever was written (sqlite.org/datatype3.html): what is of another type is
    taken as well as it can be.
    """
    return {column.name: _value_of(column, row[column.name]) for column in table.columns}


def _value_of(column: Column, value: object) -> Any:
    wanted = column.type.python_type
    if isinstance(value, wanted) or (value is None and column.nullable):
        return value
    return _INSTEAD[wanted](value)


def _text(value: object) -> str:
    if isinstance(value, bytes):
        return value.decode(errors="backslashreplace")
    return "" if value is None else str(value)


def _number(value: object) -> float:
    return float(value) if isinstance(value, int) else 0.0


_INSTEAD: dict[type, Callable[[object], Any]] = {
    str: _text,
    bytes: lambda value: _text(value).encode(),
    float: _number,
    int: lambda value: 0,
    bool: bool,
}
"""What stands for a value of another type than its column's."""


def _must_be_database(path: Path) -> None:
    """SQLite takes a file that is shorter than its header for an empty one, and overwrites it."""
    try:
        with ours_at(path).opened() as stream:
            header = stream.read(len(_HEADER))
    except FileNotFoundError:
        return
    except OSError as error:
        raise DatabaseError(str(path), error.strerror or str(error)) from error
    if header not in (b"", _HEADER):
        raise DamagedDatabase(str(path), _WORDS[sqlite3.SQLITE_NOTADB])


def _error(where: str, error: SQLAlchemyError) -> DatabaseError:
    cause = error.orig if isinstance(error, DBAPIError) else error.__cause__
    if not isinstance(cause, sqlite3.Error):
        return DamagedDatabase(where, f"it holds what is none of its own: {cause or error}")
    code = getattr(cause, "sqlite_errorcode", sqlite3.SQLITE_ERROR) & 0xFF
    why = _WORDS.get(code, str(cause))
    return DamagedDatabase(where, why) if code in _DAMAGED else DatabaseError(where, why)


def _make_durable(connection: sqlite3.Connection, _record: object) -> None:
    """Whatever is committed stands on the disk; a schema of others runs nothing.

    Text that is no UTF-8 hides nothing beside it.
    """
    connection.text_factory = partial(str, encoding="utf-8", errors="backslashreplace")
    cursor = connection.cursor()
    for setting in ("trusted_schema=OFF", "journal_mode=DELETE", "synchronous=FULL"):
        cursor.execute(f"PRAGMA {setting}")
    cursor.close()
