"""Opens the SQLite file: pragmas in one place, migrations on the way in."""

import fcntl
import os
import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager, suppress
from datetime import datetime
from pathlib import Path
from threading import Lock
from typing import Any
from weakref import WeakKeyDictionary

from sqlalchemy import Connection, Engine, create_engine, event, inspect, text
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session
from sqlalchemy.pool import Pool

from frosty_piston.core.errors import Busy, CannotStart, NoSpace

from .fair_lock import FairLock

PRAGMAS = ("journal_mode=WAL", "synchronous=FULL", "foreign_keys=ON", "busy_timeout=10000")
UNWRITABLE = "The data folder {} cannot be written: {}."
DAMAGED = "{} is damaged: keep it, and bring a copy back into an empty folder with ./piston restore."
EMPTIED = (
    "{} is empty, and there are daily copies in {}: bring the newest back into an empty folder with"
    " ./piston restore."
)
MIGRATIONS = Path(__file__).parent / "migrations"
WRITE_TIMEOUT_S = 20.0
BUSY = "Too many are writing just now. What you sent was not saved: send it again."
FULL = "The disk that holds {} is full. Nothing more can be saved until there is room on it."
MOST_CONNECTIONS = 120  # one for each thread that may ask, so that none waits for another's

_queues: WeakKeyDictionary[Pool, FairLock] = WeakKeyDictionary()
_making = Lock()


def _queue_of(engine: Engine) -> FairLock:
    with _making:
        return _queues.setdefault(engine.pool, FairLock())


@contextmanager
def write_session(engine: Engine, timeout_s: float = WRITE_TIMEOUT_S) -> Iterator[Session]:
    """One write transaction, taken back when anything in it fails. Everything that writes goes through here,
    in the order in which it came: the database itself has no order among those who wait for it.

    Nothing slow may happen inside. Raises Busy when the turn does not come in time, and NoSpace when the disk
    is full.
    """
    with _queue_of(engine).hold(timeout_s, BUSY):
        try:
            with Session(engine.execution_options(writing=True)) as session, session.begin():
                yield session
        except OperationalError as error:
            says = str(error.orig)
            if "is locked" in says:
                raise Busy(BUSY) from None
            if "is full" in says:
                raise NoSpace(FULL.format(Path(engine.url.database or "").parent)) from None
            raise


@contextmanager
def owned(folder: Path) -> Iterator[None]:
    """Take a data folder for this process. Raises CannotStart, with who has it, when another one has."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
        lock = (folder / "owner.lock").open("a+")
    except OSError as error:
        raise CannotStart(UNWRITABLE.format(folder, error.strerror or error)) from None
    with lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            lock.seek(0)
            who = lock.read(200).strip() or "another process"
            raise CannotStart(
                f"The data folder {folder} is in use by {who}: stop that first, or name another with --data."
            ) from None
        lock.truncate(0)
        lock.write(f"process {os.getpid()}, since {datetime.now():%d %b %H:%M}\n")
        lock.flush()
        yield


def remove_database(folder: Path) -> None:
    """Remove the database of a folder that this process owns."""
    for name in ("workshop.db", "workshop.db-wal", "workshop.db-shm"):
        (folder / name).unlink(missing_ok=True)


def open_database(folder: Path) -> Engine:
    """Open (or make) the database in a folder and bring it to the newest layout. Raises CannotStart, in one
    sentence with what to do, for one that is damaged, of another program or of a newer layout."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
        probe = folder / ".write"
        probe.touch()
        probe.unlink()
    except OSError as error:
        raise CannotStart(UNWRITABLE.format(folder, error.strerror or error)) from None
    _looked_at(folder / "workshop.db")
    engine = create_engine(
        f"sqlite:///{folder / 'workshop.db'}",
        connect_args={"timeout": 10, "check_same_thread": False},
        pool_size=16,
        max_overflow=MOST_CONNECTIONS - 16,
    )

    @event.listens_for(engine, "connect")
    def _pragmas(connection: Any, _record: Any) -> None:
        connection.isolation_level = None
        for pragma in PRAGMAS:
            connection.execute(f"PRAGMA {pragma}")

    @event.listens_for(engine, "begin")
    def _begin(connection: Connection) -> None:
        writing = connection.get_execution_options().get("writing")
        connection.exec_driver_sql("BEGIN IMMEDIATE" if writing else "BEGIN")

    migrate(engine)
    with suppress(OSError):  # a folder of somebody else's keeps what they gave it
        folder.chmod(0o700)
        (folder / "workshop.db").chmod(0o600)
    return engine


def _looked_at(database: Path) -> None:
    """Look at a database before anything is done with it."""
    if not database.exists():
        return
    copies = database.parent / "backups"
    if database.stat().st_size == 0 and copies.is_dir() and any(copies.iterdir()):
        raise CannotStart(EMPTIED.format(database, copies))
    try:
        with closing(sqlite3.connect(f"{database.resolve().as_uri()}?mode=ro", uri=True)) as connection:
            tables = {
                name for (name,) in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")
            }
            if tables and "alembic_version" not in tables:
                raise CannotStart(f"{database} is of another program: move it away, or name another folder.")
            layout = (
                connection.execute("SELECT version_num FROM alembic_version").fetchone() if tables else None
            )
            if layout and layout[0] > newest_layout():
                raise CannotStart(
                    f"{database} was written by a newer Frosty Piston (layout {layout[0]}, this one knows"
                    f" {newest_layout()}): use that one."
                )
            if connection.execute("PRAGMA quick_check(1)").fetchone() != ("ok",):
                raise CannotStart(DAMAGED.format(database))
    except sqlite3.DatabaseError:
        raise CannotStart(DAMAGED.format(database)) from None


def migrate(engine: Engine) -> None:
    """Bring the layout to the newest revision; does nothing when it is there."""
    if _revision(engine) == newest_layout():
        return
    from alembic import command  # slow to load, and seldom needed
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with engine.execution_options(writing=True).begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")


def open_to_removal(engine: Engine) -> None:
    """Take off what keeps tapes from ever being changed: training vehicles are gone when somebody asks."""
    with engine.execution_options(writing=True).begin() as connection:
        kept = connection.scalars(text("SELECT name FROM sqlite_master WHERE type = 'trigger'")).all()
        for name in kept:
            connection.execute(text(f'DROP TRIGGER "{name}"'))


def _revision(engine: Engine) -> str | None:
    with engine.connect() as connection:
        if not inspect(connection).has_table("alembic_version"):
            return None
        found: str | None = connection.scalar(text("SELECT version_num FROM alembic_version"))
        return found


def newest_layout() -> str:
    """The newest revision, by the names of the files."""
    return max(path.name for path in (MIGRATIONS / "versions").glob("[0-9]*.py")).split("_")[0]
