"""Recordings of a job: the file as it came in, its channels as compressed arrays, and the map of each
layout."""

import hashlib
import io
import zlib
from collections import OrderedDict
from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass
from datetime import datetime
from threading import Lock
from typing import Any, TypeVar
from uuid import uuid4

import numpy as np
from sqlalchemy import Engine, select
from sqlalchemy.orm import Session

from frosty_piston.core.errors import NotHere
from frosty_piston.core.traces import Signal

from .database import write_session
from .tables import AttachmentRow, BlockRow, SettingRow, TraceRow
from .timestamps import now, utc

KEPT_IN_MEMORY = 6
ANSWERS_IN_MEMORY = 96
FILES_KEPT_READ = 2
LAYOUT = "layout:"
A = TypeVar("A")


@dataclass(frozen=True)
class ChannelInfo:
    """What is known of a recorded channel without reading its samples."""

    channel: str
    unit: str
    column: str
    samples: int
    start_s: float
    end_s: float
    low: float
    high: float


@dataclass(frozen=True)
class TraceInfo:
    """A recording of a job; its id is that of its entry on the tape."""

    id: str
    job_id: str
    name: str
    channels: tuple[ChannelInfo, ...]
    at: datetime

    @property
    def span(self) -> tuple[float, float]:
        return min(c.start_s for c in self.channels), max(c.end_s for c in self.channels)


def packed(signals: Mapping[str, Signal]) -> bytes:
    """Channels as one compressed block; times that channels share are kept once."""
    arrays: dict[str, np.ndarray] = {}
    known: dict[bytes, str] = {}
    for name, signal in signals.items():
        key = signal.times_s.tobytes()
        if key not in known:
            known[key] = f"t{len(known)}"
            arrays[known[key]] = signal.times_s.astype(np.float64)
        arrays[f"v:{known[key]}:{name}"] = signal.values.astype(np.float32)
    out = io.BytesIO()
    np.savez(out, allow_pickle=False, **arrays)
    return zlib.compress(out.getvalue(), 1)


def unpacked(data: bytes) -> dict[str, Signal]:
    with np.load(io.BytesIO(zlib.decompress(data))) as arrays:
        times = {key: arrays[key] for key in arrays.files if not key.startswith("v:")}
        return {
            key.split(":", 2)[2]: Signal(times[key.split(":", 2)[1]], arrays[key].astype(np.float64))
            for key in arrays.files
            if key.startswith("v:")
        }


class Recordings:
    """Keeps and finds recordings. Safe to use from several threads."""

    def __init__(self, engine: Engine):
        self.engine = engine
        self._read: OrderedDict[str, dict[str, Signal]] = OrderedDict()
        self._answers: OrderedDict[Hashable, Any] = OrderedDict()
        self._parsed: OrderedDict[str, Any] = OrderedDict()
        self._lock = Lock()

    def keep_file(
        self, job_id: str, name: str, data: bytes, by: str, attachment_id: str | None = None
    ) -> str:
        """Keep a file as it came in, until and after its columns are mapped. A file that this job has already
        is kept once, whatever its name. Returns the id under which it is kept."""
        block = zlib.compress(data, 1)
        link = hashlib.sha256(block).hexdigest()
        asked = select(AttachmentRow.id).where(AttachmentRow.job_id == job_id, AttachmentRow.hash == link)
        with write_session(self.engine) as session:
            if (known := session.scalar(asked.limit(1))) is not None:
                return known
            if attachment_id is None or session.get(AttachmentRow, attachment_id) is not None:
                attachment_id = str(uuid4())
            _keep_block(session, link, block)
            row = AttachmentRow(id=attachment_id, job_id=job_id, name=name, size=len(data), hash=link)
            row.by = by
            row.at = now()
            session.add(row)
        return attachment_id

    def file(self, job_id: str, attachment_id: str) -> tuple[str, bytes]:
        """The name and the bytes of a kept file. Raises NotHere."""
        with Session(self.engine) as session:
            row = session.get(AttachmentRow, attachment_id)
            if row is None or row.job_id != job_id:
                raise NotHere("That file is not kept with this job.")
            return row.name, zlib.decompress(_block(session, row.hash))

    def original(self, job_id: str, trace_id: str) -> tuple[str, bytes]:
        """The name and the bytes of the file that a recording came in; empty when it is not kept."""
        with Session(self.engine) as session:
            row = session.get(TraceRow, (trace_id, job_id))
            kept = session.get(AttachmentRow, row.attachment_id) if row and row.attachment_id else None
            if kept is None or kept.job_id != job_id:
                return "", b""
            return kept.name, zlib.decompress(_block(session, kept.hash))

    def add(
        self,
        trace_id: str,
        job_id: str,
        attachment_id: str | None,
        name: str,
        signals: Mapping[str, Signal],
        columns: Mapping[str, str],
        units: Mapping[str, str],
    ) -> None:
        """Keep the channels of a job's recording under the id of its entry; a second time is passed over."""
        info = [
            {
                "channel": key,
                "unit": units[key],
                "column": columns[key],
                "samples": len(signal),
                "start_s": signal.span[0],
                "end_s": signal.span[1],
                "low": float(signal.values.min()),
                "high": float(signal.values.max()),
            }
            for key, signal in signals.items()
        ]
        block = packed(signals)
        link = hashlib.sha256(block).hexdigest()
        with write_session(self.engine) as session:
            if session.get(TraceRow, (trace_id, job_id)) is None:
                _keep_block(session, link, block)
                session.add(
                    TraceRow(
                        id=trace_id,
                        job_id=job_id,
                        attachment_id=attachment_id,
                        name=name[:120],
                        channels=info,
                        hash=link,
                        at=now(),
                    )
                )

    def of_job(self, job_id: str) -> list[TraceInfo]:
        with Session(self.engine) as session:
            rows = session.execute(
                select(TraceRow.id, TraceRow.job_id, TraceRow.name, TraceRow.channels, TraceRow.at)
                .where(TraceRow.job_id == job_id)
                .order_by(TraceRow.at, TraceRow.id)
            )
            return [_info(row) for row in rows]

    def info(self, job_id: str, trace_id: str) -> TraceInfo:
        trace = next((t for t in self.of_job(job_id) if t.id == trace_id), None)
        if trace is None:
            raise NotHere("There is no such recording on this job.")
        return trace

    def signals(self, job_id: str, trace_id: str) -> dict[str, Signal]:
        """The channels of a recording with their samples. Raises NotHere."""
        with Session(self.engine) as session:
            row = session.get(TraceRow, (trace_id, job_id))
            if row is None:
                raise NotHere("There is no such recording on this job.")
            link = row.hash
            with self._lock:
                if link in self._read:
                    self._read.move_to_end(link)
                    return self._read[link]
            signals = unpacked(_block(session, link))
        with self._lock:
            self._read[link] = signals
            while len(self._read) > KEPT_IN_MEMORY:
                self._read.popitem(last=False)
        return signals

    def parsed(self, job_id: str, attachment_id: str, read: Callable[[bytes], A]) -> tuple[str, A]:
        """The name of a kept file and what a reader makes of it; the last few are kept read. Raises
        NotHere."""
        key = f"{job_id}/{attachment_id}"
        with self._lock:
            known: tuple[str, A] | None = self._parsed.get(key)
        if known is None:
            name, data = self.file(job_id, attachment_id)
            known = (name, read(data))
            with self._lock:
                self._parsed[key] = known
                while len(self._parsed) > FILES_KEPT_READ:
                    self._parsed.popitem(last=False)
        return known

    def remembered(self, question: Hashable, answer: Callable[[], A]) -> A:
        """What was asked of a recording, answered once: its samples never change. `question` names everything
        that the answer hangs on."""
        with self._lock:
            if question in self._answers:
                self._answers.move_to_end(question)
                known: A = self._answers[question]
                return known
        answered = answer()
        with self._lock:
            self._answers[question] = answered
            while len(self._answers) > ANSWERS_IN_MEMORY:
                self._answers.popitem(last=False)
        return answered

    def layout(self, signature: str) -> dict[str, Any]:
        """The map that was kept for a layout: by column name its channel and unit."""
        with Session(self.engine) as session:
            row = session.get(SettingRow, (LAYOUT + signature)[:60])
            return row.value if row else {}

    def keep_layout(self, signature: str, columns: dict[str, list[str]]) -> None:
        with write_session(self.engine) as session:
            session.merge(SettingRow(key=(LAYOUT + signature)[:60], value=columns))


def _keep_block(session: Session, link: str, data: bytes) -> None:
    if session.get(BlockRow, link) is None:
        session.add(BlockRow(hash=link, data=data))
        session.flush()


def _block(session: Session, link: str) -> bytes:
    found = session.scalar(select(BlockRow.data).where(BlockRow.hash == link))
    if found is None:
        raise NotHere("What this file held is not kept here any more.")
    return found


def _info(row: Any) -> TraceInfo:
    return TraceInfo(
        row.id,
        row.job_id,
        row.name,
        tuple(ChannelInfo(**c) for c in row.channels),
        utc(row.at),
    )
