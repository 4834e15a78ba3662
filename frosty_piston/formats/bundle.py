"""A job with its recordings and pictures in one archive: ZIP, with the plain job file, JPEG, CSV and the
files as they came in. Nothing is unpacked before its size is known."""

import io
import json
import zipfile
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from frosty_piston.core.errors import BadInput
from frosty_piston.core.traces import Signal

JOB, PICTURES, RECORDINGS = "job.fpjob.json", "pictures/", "recordings/"
MOST_BYTES, MOST_UNPACKED, MOST_MEMBERS, MOST_ONE = 400_000_000, 800_000_000, 4000, 200_000_000
ALWAYS = (1980, 1, 1, 0, 0, 0)
MAGIC = b"PK\x03\x04"


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
class Bundle:
    """What an archive holds: the job file, pictures by the hash of their content, recordings."""

    job: bytes
    pictures: dict[str, bytes]
    recordings: tuple[Recorded, ...]


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


def unpack(data: bytes) -> Bundle:
    """Read an archive. Raises BadInput with one sentence that says what is wrong with it."""
    if len(data) > MOST_BYTES:
        raise BadInput(f"The bundle is larger than {MOST_BYTES // 1_000_000} MB.")
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            _within_limits(archive)
            if JOB not in archive.namelist():
                raise BadInput(f"This archive holds no {JOB}: it is no bundle of a job.")
            pictures = {
                name.removeprefix(PICTURES).removesuffix(".jpg"): archive.read(name)
                for name in archive.namelist()
                if name.startswith(PICTURES) and name.endswith(".jpg")
            }
            return Bundle(archive.read(JOB), pictures, tuple(_recordings(archive)))
    except BadInput:
        raise
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, OSError, EOFError) as error:
        raise BadInput(f"This bundle cannot be read ({type(error).__name__}): it is damaged.") from None


def _within_limits(archive: zipfile.ZipFile) -> None:
    """What an archive says of itself is held against the limits before anything of it is unpacked; what it
    unpacks to beyond that is cut off by the archive's own sizes."""
    members = archive.infolist()
    if len(members) > MOST_MEMBERS:
        raise BadInput(f"This bundle holds {len(members)} files; at most {MOST_MEMBERS}.")
    if len({m.filename for m in members}) != len(members):
        raise BadInput("This bundle holds one name twice: it is damaged.")
    if sum(m.file_size for m in members) > MOST_UNPACKED or any(m.file_size > MOST_ONE for m in members):
        raise BadInput(f"What this bundle holds is larger than {MOST_UNPACKED // 1_000_000} MB unpacked.")


def _recordings(archive: zipfile.ZipFile) -> Iterable[Recorded]:
    names = set(archive.namelist())
    for name in sorted(names):
        if not (name.startswith(RECORDINGS) and name.endswith("/recording.json")):
            continue
        place = name.removesuffix("recording.json")
        key = place.removeprefix(RECORDINGS).rstrip("/")
        try:
            about: dict[str, Any] = json.loads(archive.read(name))
            channels = tuple(
                {k: str(c[k])[:200] for k in ("channel", "unit", "column")} for c in about["channels"]
            )
            signals = {c["channel"]: _signal(archive.read(f"{place}{n}.csv")) for n, c in enumerate(channels)}
            titles = str(about["name"])[:120], str(about.get("file") or "recording")[:120]
        except (KeyError, TypeError, ValueError) as error:
            raise BadInput(f"The recording {key[:40]} of this bundle cannot be read: {error}.") from None
        original = archive.read(f"{place}original") if f"{place}original" in names else b""
        yield Recorded(key, titles[0], channels, signals, titles[1], original)


def _signal(data: bytes) -> Signal:
    import pandas as pd

    frame = pd.read_csv(io.BytesIO(data), dtype=np.float64, float_precision="round_trip")
    if list(frame.columns) != ["time_s", "value"] or frame.empty:
        raise ValueError("a channel has the columns time_s and value, and at least one row")
    times, values = frame["time_s"].to_numpy(), frame["value"].to_numpy()
    if not (np.isfinite(times).all() and np.isfinite(values).all() and (np.diff(times) >= 0).all()):
        raise ValueError("times rise, and every figure is one")
    return Signal(times, values)
