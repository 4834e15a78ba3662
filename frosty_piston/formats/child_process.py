"""Files from outside are read by processes of their own: one that crashes, hangs or grows takes nobody
along."""

import json
import os
import signal
import socket
import subprocess
import sys
import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from queue import Empty, LifoQueue
from threading import BoundedSemaphore, Lock
from typing import Any, Generic, TypeVar

import numpy as np

from frosty_piston.core.errors import BadInput, Busy
from frosty_piston.job.tape import jobfile

from . import bundle, long_job, picture
from .picture import Cleaned
from .recording import MOST_ANSWER_BYTES, MOST_BYTES, Column, Recording, Unread, UnreadRows
from .report_pdf import MOST_PAPER_BYTES

T = TypeVar("T")
READERS = 2
MOST_WAITING = 12  # files that wait for a process; whoever comes after them is told at once
MOST_WALL_S = 60.0
MOST_START_S = 60.0
BUSY = "Too many files are being read just now. Send it again in a minute."
PACKAGE = Path(__file__).resolve().parents[2]
DAMAGED = "This file cannot be read: {}. It is damaged, or no recording of a scan tool."
SLOW = f"This file takes longer than {MOST_WALL_S:g} s to read: cut it, or record fewer channels."
KINDS = {"times_s": np.float64, "values": np.float32}


@dataclass(frozen=True)
class Kind(Generic[T]):
    """A kind of file: the module that reads it, the most it may hold, what is made of an answer, and what is
    said of one that cannot be read, takes too long or is too large."""

    module: str
    most_bytes: int
    made: Callable[[dict[str, Any], Any], T]
    damaged: str
    slow: str
    large: str


class Reader(Generic[T]):
    """One process, warm until it dies."""

    def __init__(self, kind: Kind[T], module: str = "") -> None:
        self.kind = kind
        self.ours, theirs = socket.socketpair()
        paths = [str(PACKAGE), *filter(None, [os.environ.get("PYTHONPATH")])]
        with theirs:
            self.process = subprocess.Popen(
                [sys.executable, "-m", module or kind.module, str(theirs.fileno())],
                pass_fds=[theirs.fileno()],
                stdin=subprocess.DEVNULL,
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
                start_new_session=True,
                env={**os.environ, "PYTHONPATH": os.pathsep.join(paths), "OPENBLAS_NUM_THREADS": "1"},
            )
        self.ready = False
        self.spent = False

    def read(self, data: bytes) -> T:
        """Read one file. Raises BadInput; what ended the process as well."""
        with tempfile.TemporaryFile() as file, tempfile.TemporaryFile() as out:
            try:
                file.write(data)
                file.seek(0)
            except OSError:
                raise BadInput(
                    "There is no room on this machine to read the file: make some, and send it again."
                ) from None
            try:
                if not self.ready:
                    self.ours.settimeout(MOST_START_S)
                    self.ready = bool(self._line())
                self.ours.settimeout(MOST_WALL_S)
                socket.send_fds(self.ours, [b"read"], [file.fileno(), out.fileno()])
                answer = json.loads(self._line())
            except TimeoutError:
                raise BadInput(self.kind.slow) from None
            except (OSError, ValueError):
                raise BadInput(self._ended()) from None
            self.spent = bool(answer.get("last"))
            if "error" in answer:
                raise BadInput(answer["error"])
            return self.kind.made(answer, out)

    def _line(self) -> bytes:
        """One line of an answer. Raises OSError when the process ends before it is whole."""
        said = bytearray()
        while not said.endswith(b"\n"):
            piece = self.ours.recv(65536)
            if not piece or len(said) > MOST_ANSWER_BYTES:
                raise OSError("no answer")
            said += piece
        return bytes(said)

    def _ended(self) -> str:
        """Why the process ended, as it is said of the file."""
        try:
            code = self.process.wait(1.0)
        except subprocess.TimeoutExpired:
            self.process.kill()
            code = self.process.wait()
        if code == -signal.SIGXCPU:
            return self.kind.slow
        return self.kind.damaged.format("reading it failed" if code >= 0 else "it stopped its reader")

    @property
    def alive(self) -> bool:
        return self.process.poll() is None

    def end(self) -> None:
        self.ours.close()
        self.process.kill()
        self.process.wait()


class Readers(Generic[T]):
    """A few readers of one kind, kept warm. Safe to use from several threads; `end` them when they are no
    longer wanted. `deaths`: how many were ended by a file."""

    def __init__(self, kind: Kind[T], count: int = READERS, start: Callable[[], Reader[T]] | None = None):
        self.kind = kind
        self._start = start or (lambda: Reader(kind))
        self._idle = LifoQueue[Reader[T]]()
        self._count = count
        self._lock = Lock()
        self._all = set[Reader[T]]()
        self._places = BoundedSemaphore(count)
        self._queue = BoundedSemaphore(count + MOST_WAITING)
        self.deaths = 0

    def warm(self) -> None:
        """Start what is not started yet; the first file then waits for no library."""
        for _ in range(self._count - len(self._all)):
            self._idle.put(self._started())

    def read(self, data: bytes) -> T:
        """Read a file by what it is, whatever its name says. Raises BadInput with one clear sentence, and
        Busy at once where too many wait already."""
        if len(data) > self.kind.most_bytes:
            raise BadInput(self.kind.large)
        if not self._queue.acquire(blocking=False):
            raise Busy(BUSY)
        try:
            return self._read(data)
        finally:
            self._queue.release()

    def _read(self, data: bytes) -> T:
        with self._places:
            reader = self._taken()
            whole = False
            try:
                found = reader.read(data)
                whole = True
                return found
            except BadInput as error:
                whole = reader.alive and str(error) != self.kind.slow
                raise
            finally:
                if whole and not reader.spent:
                    self._idle.put(reader)
                else:
                    self._dropped(reader, by_file=not whole)

    def _taken(self) -> Reader[T]:
        while True:
            try:
                reader = self._idle.get_nowait()
            except Empty:
                return self._started()
            if reader.alive:
                return reader
            self._dropped(reader)

    def _started(self) -> Reader[T]:
        reader = self._start()
        with self._lock:
            self._all.add(reader)
        return reader

    def _dropped(self, reader: Reader[T], by_file: bool = True) -> None:
        with self._lock:
            self._all.discard(reader)
            self.deaths += by_file
        reader.end()

    def end(self) -> None:
        """End the processes."""
        with self._lock:
            readers = self._all
            self._all = set()
        for reader in readers:
            reader.end()


def _recording(answer: dict[str, Any], out: Any) -> Recording:
    """A recording from what a reader said and wrote. Raises BadInput when the two do not fit."""
    columns: dict[str, dict[int, np.ndarray]] = {"times_s": {}, "values": {}}
    out.seek(0)
    for kind, index, length in answer["arrays"]:
        figures = np.fromfile(out, KINDS[kind], length)
        if len(figures) != length:
            raise BadInput(DAMAGED.format("what was read of it is not whole"))
        columns[kind][index] = figures
    unread = answer["unread"]
    return Recording(
        tuple(Column(**c) for c in answer["columns"]),
        columns["times_s"],
        columns["values"],
        rows=answer["rows"],
        unread=UnreadRows(unread["count"], [Unread(**x) for x in unread["first"]], unread["by_why"]),
        notes=tuple(answer["notes"]),
        layout=answer["layout"],
    )


def _picture(answer: dict[str, Any], out: Any) -> Cleaned:
    """A picture from what a reader said and wrote. Raises BadInput when the two do not fit."""
    out.seek(0)
    data = out.read(int(answer["data"]))
    thumb = out.read(int(answer["thumb"]))
    if (len(data), len(thumb)) != (answer["data"], answer["thumb"]):
        raise BadInput(PICTURES.damaged.format("what was read of it is not whole"))
    return Cleaned(int(answer["width"]), int(answer["height"]), data, thumb, bool(answer["as_kept"]))


RECORDINGS = Kind(
    "frosty_piston.formats.reader",
    MOST_BYTES,
    _recording,
    DAMAGED,
    SLOW,
    f"The file is larger than {MOST_BYTES // 1_000_000} MB: cut it, or record fewer channels.",
)


def _paper(answer: dict[str, Any], out: Any) -> bytes:
    """A PDF as its setter wrote it. Raises BadInput when it is not whole."""
    out.seek(0)
    data: bytes = out.read(int(answer["size"]))
    if len(data) != answer["size"]:
        raise BadInput(PAPERS.damaged.format("what was set of it is not whole"))
    return data


PICTURES = Kind(
    "frosty_piston.formats.picture_reader",
    picture.MOST_BYTES,
    _picture,
    "This picture cannot be read: {}. It is damaged, or no picture.",
    f"This picture takes longer than {MOST_WALL_S:g} s to read: make it smaller.",
    f"The picture is larger than {picture.MOST_BYTES // 1_000_000} MB: make it smaller.",
)
PAPERS = Kind(
    "frosty_piston.formats.paper_setter",
    MOST_PAPER_BYTES,
    _paper,
    "This paper could not be set: {}. The page itself can be printed.",
    f"This paper takes longer than {MOST_WALL_S:g} s to set: print the page itself.",
    f"This paper is larger than {MOST_PAPER_BYTES // 1_000_000} MB: print the page itself.",
)
BUNDLES = Kind(
    "frosty_piston.formats.bundle_reader",
    bundle.MOST_BYTES,
    bundle.opened,
    "This bundle cannot be read: {}. It is damaged, or no bundle of a job.",
    f"This bundle takes longer than {MOST_WALL_S:g} s to read.",
    f"The bundle is larger than {bundle.MOST_BYTES // 1_000_000} MB.",
)
LONG_JOBS = Kind(
    "frosty_piston.formats.long_job_reader",
    jobfile.MOST_BYTES,
    long_job.opened,
    "This job file cannot be read: {}.",
    f"This job file takes longer than {MOST_WALL_S:g} s to read.",
    f"This job file is larger than {jobfile.MOST_BYTES // 2**20} MiB.",
)
