"""Copies of a workshop: made while it is in use, brought back into an empty folder, and looked through."""

import hashlib
import json
import os
import shutil
import sqlite3
import tempfile
from collections.abc import Iterator
from contextlib import closing, contextmanager
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path

from frosty_piston.core.errors import CannotStart
from frosty_piston.job.tape.jobfile import chain_of

from .database import newest_layout, open_database, owned

DATABASE = "workshop.db"
SEAL = "copy_seal"  # the table of a copy that holds the hash of all the rest of it
NO_DATABASE = "{} holds no workshop of Frosty Piston."


@dataclass
class Checked:
    """What a look through a workshop found: how much was looked at, and every fault in a sentence."""

    jobs: int = 0
    entries: int = 0
    files: int = 0
    recordings: int = 0
    pictures: int = 0
    faults: list[str] = field(default_factory=list)

    @property
    def says(self) -> str:
        seen = (
            f"{self.jobs} jobs, {self.entries} entries, {self.files} files, {self.recordings} recordings,"
            f" {self.pictures} pictures"
        )
        return f"{seen}: {'all whole' if not self.faults else f'{len(self.faults)} faults'}"


def check(database: Path, older: bool = False) -> Checked:
    """Look through everything in a database, without changing it: the file itself, the layout, the chain of
    every tape, every file and recording by its hash. `older`: one of an older layout, which has no chain yet,
    is looked through as far as it goes. Raises CannotStart when it is no workshop at all."""
    found = Checked()
    with _opened(database) as connection:
        try:
            found.faults += [
                f"the file is damaged: {' '.join(row[0].split())}"
                for row in connection.execute("PRAGMA integrity_check(20)")
                if row[0] != "ok"
            ]
            found.faults += _sealed(connection)
            if found.faults:
                return found
            (layout,) = connection.execute("SELECT version_num FROM alembic_version").fetchone()
            if layout < newest_layout() and older:
                return found
            found.faults += _layout(layout)
            if found.faults:
                return found
            _check_tapes(connection, found)
            _check_kept(connection, found)
        except (sqlite3.Error, UnicodeDecodeError, ValueError, TypeError) as error:
            found.faults.append(f"the file is damaged: {error}")
    return found


@contextmanager
def _opened(database: Path) -> Iterator[sqlite3.Connection]:
    """A database to read. One in a folder that cannot be written is copied aside first: what stands in its
    journal cannot be read in place. Raises CannotStart when it is no workshop."""
    with tempfile.TemporaryDirectory() as aside:
        try:
            if not os.access(database.parent, os.W_OK):
                for name in (database.name, f"{database.name}-wal"):
                    if (database.parent / name).exists():
                        shutil.copyfile(database.parent / name, Path(aside) / name)
                database = Path(aside) / database.name
            connection = sqlite3.connect(f"{database.resolve().as_uri()}?mode=ro", uri=True)
        except (OSError, sqlite3.Error):
            raise CannotStart(NO_DATABASE.format(database)) from None
        with closing(connection):
            try:
                connection.execute("SELECT count(*) FROM sqlite_master")
                connection.execute("SELECT version_num FROM alembic_version")
            except (sqlite3.Error, UnicodeDecodeError):
                raise CannotStart(NO_DATABASE.format(database)) from None
            yield connection


def _layout(layout: str) -> Iterator[str]:
    if layout > newest_layout():
        yield f"its layout {layout} is newer than this program, which knows {newest_layout()}"
    elif layout < newest_layout():
        yield f"its layout {layout} is older than this program: start it once, which brings it up to date"


def _check_tapes(connection: sqlite3.Connection, found: Checked) -> None:
    """Every tape against its chain."""
    for job_id, head in connection.execute("SELECT id, chain_head FROM jobs ORDER BY id").fetchall():
        written = "SELECT raw, written_at FROM entries WHERE job_id = ? ORDER BY seq"
        rows = connection.execute(written, (job_id,)).fetchall()
        try:
            raws = [json.loads(raw) for raw, _ in rows]
        except ValueError:
            found.faults.append(f"job {job_id}: an entry is no JSON")
            continue
        try:
            for _, at in rows:
                datetime.fromisoformat(at)
        except (TypeError, ValueError):
            found.faults.append(f"job {job_id}: the time of an entry cannot be read")
            continue
        kept = dict(connection.execute("SELECT id, hash FROM chain WHERE job_id = ?", (job_id,)).fetchall())
        wanted = chain_of(raws)
        changed = next((i for i, link in wanted.items() if kept.get(i) != link), None)
        if changed is not None:
            found.faults.append(
                f"job {job_id}: entry {changed}, or one before it, was changed after it was written"
            )
        elif len(kept) != len(wanted) or head != (list(wanted.values())[-1] if wanted else ""):
            found.faults.append(f"job {job_id}: entries at the end of its tape are gone")
        found.jobs = found.jobs + 1
        found.entries = found.entries + len(raws)


def _check_kept(connection: sqlite3.Connection, found: Checked) -> None:
    """Every file, every recording and every picture against its hash."""
    whole = {
        link
        for (link,) in connection.execute("SELECT hash FROM blocks").fetchall()
        if _is_whole(connection, "blocks", "data", link, link)
    }
    for key, name, link in connection.execute("SELECT id, name, hash FROM attachments"):
        found.files += 1
        if link not in whole:
            found.faults.append(f"the kept file {name} ({key}) is not what was brought in")
    for key, name, link in connection.execute("SELECT id, name, hash FROM traces"):
        found.recordings += 1
        if link not in whole:
            found.faults.append(f"the recording {name} ({key}) is not what was brought in")
    for key, thumb_hash in connection.execute("SELECT hash, thumb_hash FROM images").fetchall():
        found.pictures += 1
        if not _is_whole(connection, "images", "data", key, key):
            found.faults.append(f"the picture {key[:12]} is not what was brought in")
        elif not _is_whole(connection, "images", "thumb", key, thumb_hash):
            found.faults.append(f"the small picture of {key[:12]} is not what was made of it")


def _is_whole(connection: sqlite3.Connection, table: str, column: str, key: str, wanted: str) -> bool:
    row = connection.execute(f"SELECT {column} FROM {table} WHERE hash = ?", (key,)).fetchone()
    return row is not None and hashlib.sha256(row[0]).hexdigest() == wanted


def _seal_of(connection: sqlite3.Connection) -> str:
    """The hash of everything in a copy but its seal: names, layout and every value of every table."""
    seal = hashlib.sha256()
    plain = connection.text_factory
    connection.text_factory = bytes
    try:
        schema = "SELECT type, name, tbl_name, sql FROM sqlite_master WHERE tbl_name != ? ORDER BY type, name"
        made = connection.execute(schema, (SEAL,)).fetchall()
        tables = [row[1].decode() for row in made if row[0] == b"table"]
        for row in made:
            seal.update(repr(row).encode())
        for table in tables:
            for row in connection.execute(f'SELECT * FROM "{table}" ORDER BY rowid'):
                seal.update(repr(row).encode())
    finally:
        connection.text_factory = plain
    return seal.hexdigest()


def _sealed(connection: sqlite3.Connection) -> Iterator[str]:
    """What is wrong with the seal of a copy. A workshop in use has none, nor has an older program's copy."""
    there = "SELECT count(*) FROM sqlite_master WHERE type = 'table' AND name = ?"
    if connection.execute(there, (SEAL,)).fetchone() != (0,):
        kept = connection.execute(f"SELECT hash FROM {SEAL}").fetchall()
        if kept != [(_seal_of(connection),)]:
            yield "the copy was damaged or changed after it was made"


def back_up(folder: Path, target: Path) -> Checked:
    """Copy a workshop into one file, while it is in use or not, and look the copy through. Raises
    CannotStart."""
    source = folder / DATABASE
    if target.exists():
        raise CannotStart(f"{target} is there already: name a file that is not.")
    unfinished = target.with_name(target.name + ".unfinished")
    unfinished.unlink(missing_ok=True)
    try:
        unfinished.touch(mode=0o600)
        with _opened(source) as here, closing(sqlite3.connect(unfinished)) as there:
            here.backup(there)
            there.execute("PRAGMA journal_mode=DELETE")
            there.execute(f"CREATE TABLE {SEAL} (hash TEXT NOT NULL)")
            there.execute(f"INSERT INTO {SEAL} VALUES (?)", (_seal_of(there),))
            there.commit()
        found = check(unfinished, older=True)
        if not found.faults:
            unfinished.replace(target)
    except (OSError, sqlite3.Error) as error:
        raise CannotStart(f"The copy could not be written to {target}: {error}.") from None
    return found


def restore(copy: Path, folder: Path) -> Checked:
    """Bring a copy back into an empty folder: looked through before, brought to the newest layout, looked
    through after. Raises CannotStart."""
    found = check(copy, older=True)
    if found.faults:
        more = f", and {len(found.faults) - 1} more faults" if len(found.faults) > 1 else ""
        raise CannotStart(f"{copy} is damaged, and nothing was restored: {found.faults[0]}{more}.")
    with owned(folder):
        if (folder / DATABASE).exists():
            raise CannotStart(f"The data folder {folder} holds a workshop already: name an empty one.")
        unfinished = (
            folder / f"{DATABASE}.unfinished"
        )  # what a restore that was cut short leaves is no workshop
        for left in (unfinished, unfinished.with_name(f"{unfinished.name}-journal")):
            left.unlink(missing_ok=True)
        with _opened(copy) as there, closing(sqlite3.connect(unfinished)) as here:
            there.backup(here)
            here.execute(f"DROP TABLE IF EXISTS {SEAL}")
            here.commit()
        unfinished.replace(folder / DATABASE)
        open_database(folder).dispose()
        return check(folder / DATABASE)
