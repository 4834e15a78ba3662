"""A job with its recordings and pictures in one archive: ZIP, with the plain job file, JPEG, CSV and the
files as they came in. Nothing is unpacked before its size is known."""

import io
import json
import os
import zipfile
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any, BinaryIO

import numpy as np

from frosty_piston.core.errors import BadInput
from frosty_piston.core.traces import Signal

JOB = "job.fpjob.json"
PICTURES = "pictures/"
RECORDINGS = "recordings/"
MOST_BYTES = 400_000_000
MOST_UNPACKED = 800_000_000
MOST_MEMBERS = 4000
MOST_ONE = 200_000_000
LONGEST_S = 1e9
MOST_SAMPLES = 6_000_000  # in one channel: 16 hours at 100 Hz
LARGEST = 1e11  # the largest figure that any instrument shows, in the table of reach: an insulation in ohm
MAGIC = b"PK\x03\x04"
DAMAGED = "This bundle cannot be read ({}): it is damaged."
TOO_LARGE = f"What this bundle holds is larger than {MOST_UNPACKED // 1_000_000} MB unpacked."
ALWAYS = (1980, 1, 1, 0, 0, 0)


@dataclass(frozen=True)
class Recorded:
    """A recording in a bundle. `channels`: of each its name, unit and column; `original`: the file as it came
    in, empty when there was none."""

    id: str
    name: str
    channels: tuple[dict[str, str], ...]
    signals: Mapping[str, Signal]
    file_name: str
    original: bytes


@dataclass(frozen=True)
class Lies:
    """Where a part of a bundle lies among what its reader wrote."""

    start: int
    size: int


class Bundle:
    """What an archive held, as its reader wrote it: the job file, pictures by the hash of their content,
    recordings. Each part is loaded when it is asked for."""

    def __init__(self, answer: dict[str, Any], out: Any):
        self._file = os.fdopen(os.dup(out.fileno()), "rb")
        self._job = Lies(*answer["job"])
        self._pictures = {key: Lies(*lies) for key, lies in answer["pictures"].items()}
        self._recordings: list[dict[str, Any]] = answer["recordings"]

    def __enter__(self) -> "Bundle":
        return self

    def __exit__(self, *_: Any) -> None:
        self._file.close()

    def _part(self, lies: Lies) -> bytes:
        self._file.seek(lies.start)
        data = self._file.read(lies.size)
        if len(data) != lies.size:
            raise BadInput(DAMAGED.format("what was read of it is not whole"))
        return data

    def _figures(self, lies: Lies) -> np.ndarray:
        """Times and values, left in the file until somebody looks at them."""
        shape = (2, lies.size // 16)
        return np.memmap(self._file, np.float64, "r", offset=lies.start, shape=shape)

    @property
    def job(self) -> bytes:
        return self._part(self._job)

    @property
    def pictures(self) -> tuple[str, ...]:
        return tuple(self._pictures)

    def picture(self, key: str) -> bytes:
        return self._part(self._pictures[key])

    @property
    def recordings(self) -> tuple[str, ...]:
        return tuple(one["id"] for one in self._recordings)

    def recording(self, key: str) -> Recorded:
        about = next(one for one in self._recordings if one["id"] == key)
        signals = {
            channel["channel"]: Signal(*self._figures(Lies(*lies)))
            for channel, lies in zip(about["channels"], about["signals"], strict=True)
        }
        original = self._part(Lies(*about["original"]))
        channels = tuple(about["channels"])
        return Recorded(
            key, about["name"], channels, signals=signals, file_name=about["file"], original=original
        )


def opened(answer: dict[str, Any], out: Any) -> Bundle:
    """A bundle from what its reader said and wrote."""
    return Bundle(answer, out)


def pack(job: str, pictures: Mapping[str, bytes], recordings: Iterable[Recorded]) -> bytes:
    """Write an archive; the same content is always the same bytes."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        _add(archive, JOB, job.encode())
        for key in sorted(pictures):
            _add(archive, f"{PICTURES}{key}.jpg", pictures[key], zipfile.ZIP_STORED)
        for one in recordings:
            place = f"{RECORDINGS}{one.id}/"
            about = {"name": one.name, "file": one.file_name, "channels": list(one.channels)}
            _add(archive, f"{place}recording.json", json.dumps(about, indent=2, sort_keys=True).encode())
            for n, channel in enumerate(one.channels):
                _add(archive, f"{place}{n}.csv", _csv(one.signals[channel["channel"]]))
            if one.original:
                _add(archive, f"{place}original", one.original)
    return out.getvalue()


def _add(archive: zipfile.ZipFile, name: str, data: bytes, how: int = zipfile.ZIP_DEFLATED) -> None:
    archive.writestr(zipfile.ZipInfo(name, ALWAYS), data, how)


def _csv(signal: Signal) -> bytes:
    import pandas as pd  # slow to load, and a start does not need it

    frame = pd.DataFrame({"time_s": signal.times_s, "value": signal.values})
    text: str = frame.to_csv(index=False, lineterminator="\n")
    return text.encode()


def unpack(data: bytes, out: BinaryIO) -> dict[str, Any]:
    """Read an archive, in the process of its reader: write its parts out, and say where each lies. Raises
    BadInput with one sentence that says what is wrong with it."""
    written = _Written(out)
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            _within_limits(archive)
            if JOB not in archive.namelist():
                raise BadInput(f"This archive holds no {JOB}: it is no bundle of a job.")
            pictures = {
                name.removeprefix(PICTURES).removesuffix(".jpg"): written.add(_member(archive, name))
                for name in archive.namelist()
                if name.startswith(PICTURES) and name.endswith(".jpg")
            }
            job = written.add(_member(archive, JOB))
            return {"job": job, "pictures": pictures, "recordings": list(_recordings(archive, written))}
    except (BadInput, MemoryError):
        raise
    except Exception as error:  # a damaged archive fails in as many ways as there are packers
        raise BadInput(DAMAGED.format(type(error).__name__)) from None


class _Written:
    """The parts of an archive on their way out, one after the other."""

    def __init__(self, out: BinaryIO):
        self._out = out
        self._size = 0

    def add(self, data: bytes) -> tuple[int, int]:
        """Write a part, and say where it lies. Raises BadInput when all together is too large."""
        start = self._size
        self._size += len(data)
        if self._size > MOST_UNPACKED:
            raise BadInput(TOO_LARGE)
        self._out.write(data)
        self._out.flush()
        return start, len(data)


def _member(archive: zipfile.ZipFile, name: str) -> bytes:
    """A file of an archive, counted while it is unpacked: what the archive says of its size may be wrong."""
    with archive.open(name) as file:
        data = file.read(MOST_ONE + 1)
    if len(data) > MOST_ONE:
        raise BadInput(TOO_LARGE)
    return data


def _within_limits(archive: zipfile.ZipFile) -> None:
    """What an archive says of itself is held against the limits before anything of it is unpacked."""
    members = archive.infolist()
    if len(members) > MOST_MEMBERS:
        raise BadInput(f"This bundle holds {len(members)} files; at most {MOST_MEMBERS}.")
    if len({m.filename for m in members}) != len(members):
        raise BadInput("This bundle holds one name twice: it is damaged.")
    if sum(m.file_size for m in members) > MOST_UNPACKED or any(m.file_size > MOST_ONE for m in members):
        raise BadInput(TOO_LARGE)


def _recordings(archive: zipfile.ZipFile, written: _Written) -> Iterable[dict[str, Any]]:
    names = set(archive.namelist())
    for name in sorted(names):
        if not (name.startswith(RECORDINGS) and name.endswith("/recording.json")):
            continue
        place = name.removesuffix("recording.json")
        key = place.removeprefix(RECORDINGS).rstrip("/")
        try:
            about: dict[str, Any] = json.loads(_member(archive, name))
            channels = [
                {k: str(c[k])[:200] for k in ("channel", "unit", "column")} for c in about["channels"]
            ]
            if len({c["channel"] for c in channels}) != len(channels) or not channels:
                raise ValueError("each of its channels has a name of its own")
            signals = [
                written.add(_signal(_member(archive, f"{place}{n}.csv")).tobytes())
                for n in range(len(channels))
            ]
            title = str(about["name"])[:120]
            file_name = str(about.get("file") or "recording")[:120]
        except (KeyError, TypeError, ValueError) as error:
            raise BadInput(f"The recording {key[:40]} of this bundle cannot be read: {error}.") from None
        original = _member(archive, f"{place}original") if f"{place}original" in names else b""
        yield {
            "id": key,
            "name": title,
            "file": file_name,
            "channels": channels,
            "signals": signals,
            "original": written.add(original),
        }


def _signal(data: bytes) -> np.ndarray:
    """Times in the first row, values in the second. Raises ValueError."""
    import pandas as pd

    frame = pd.read_csv(io.BytesIO(data), dtype=np.float64, float_precision="round_trip")
    if list(frame.columns) != ["time_s", "value"] or frame.empty:
        raise ValueError("a channel has the columns time_s and value, and at least one row")
    times = frame["time_s"].to_numpy()
    values = frame["value"].to_numpy()
    if not (np.isfinite(times).all() and np.isfinite(values).all() and (np.diff(times) >= 0).all()):
        raise ValueError("times rise, and every figure is one")
    if len(times) > MOST_SAMPLES:
        raise ValueError(f"{len(times):,} samples in one channel; at most {MOST_SAMPLES:,}")
    if np.abs(times).max() > LONGEST_S:
        raise ValueError(f"a time beyond {LONGEST_S:,.0f} s")
    if np.abs(values).max() > LARGEST:
        raise ValueError(f"a figure beyond {LARGEST:g}")
    return np.stack([times, values])
