"""The tables of a logbook."""

from sqlalchemy import (
    BigInteger,
    Boolean,
    Column,
    Float,
    ForeignKey,
    Integer,
    LargeBinary,
    MetaData,
    String,
    Table,
)

LOGBOOK = MetaData()

procedures = Table(
    "procedures",
    LOGBOOK,
    Column("id", String, primary_key=True),
    Column("kind", String, nullable=False),
    Column("title", String, nullable=False),
    Column("brief", LargeBinary, nullable=False),
    Column("state", String, nullable=False),
    Column("began", String, nullable=False),
    Column("ended", String, nullable=False, default=""),
    Column("outcome", LargeBinary),
    Column("rest_asked", Boolean, nullable=False, default=False),
    Column("unattended", Boolean, nullable=False, default=False),
    Column("version", String, nullable=False, default="", server_default=""),
)

entries = Table(
    "entries",
    LOGBOOK,
    Column("procedure", String, ForeignKey("procedures.id"), primary_key=True),
    Column("seq", Integer, primary_key=True),
    Column("kind", String, nullable=False),
    Column("title", String, nullable=False),
    Column("request", LargeBinary, nullable=False),
    Column("began", String, nullable=False),
    Column("ended", String, nullable=False, default=""),
    Column("reply", LargeBinary),
    Column("ok", Boolean),
    Column("percent", Float, nullable=False, default=0.0),
    Column("note", String, nullable=False, default=""),
    Column("job", String, nullable=False, default=""),
)

questions = Table(
    "questions",
    LOGBOOK,
    Column("procedure", String, ForeignKey("procedures.id"), primary_key=True),
    Column("key", String, primary_key=True),
    Column("title", String, nullable=False),
    Column("detail", String, nullable=False),
    Column("choices", String, nullable=False),
    Column("default", String, nullable=False),
    Column("asked", String, nullable=False),
    Column("answer", String, nullable=False, default=""),
    Column("answered_by", String, nullable=False, default=""),
)

samples = Table(
    "samples",
    LOGBOOK,
    Column("procedure", String, ForeignKey("procedures.id"), primary_key=True),
    Column("seq", Integer, primary_key=True),
    Column("at", String, primary_key=True),
    Column("percent", Float, nullable=False),
    Column("free_bytes", BigInteger, nullable=False),
)
