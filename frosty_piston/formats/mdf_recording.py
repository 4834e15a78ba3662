"""Recordings in MDF 4 (ASAM MDF, a public standard), in and out."""

import hashlib
import io
from collections.abc import Mapping
from contextlib import suppress

import numpy as np

from frosty_piston.core.errors import BadInput
from frosty_piston.core.traces import Signal

from .csv_layout import MOST_COLUMNS
from .extras import extra
from .recording import Column, Recording, UnreadRows

MAGIC = b"MDF "


def preload() -> None:
    """Load the library ahead of the first file."""
    with suppress(BadInput):
        extra("asammdf")


def read_mdf(data: bytes) -> Recording:
    """Read an MDF 4 file: every channel of figures with its own time. Raises BadInput for a file that is
    damaged or holds none."""
    MDF = extra("asammdf").MDF
    columns: list[Column] = []
    times: dict[int, np.ndarray] = {}
    values: dict[int, np.ndarray] = {}
    notes: list[str] = []
    unread = UnreadRows()
    rows = 0
    try:
        with MDF(io.BytesIO(data)) as file:
            for channel in file.iter_channels(skip_master=True, copy_master=False):
                if len(columns) >= MOST_COLUMNS:
                    raise BadInput(f"More than {MOST_COLUMNS:,} channels: record fewer.")
                if channel.samples.dtype.kind not in "fiub" or channel.samples.ndim != 1:
                    notes.append(f"Channel {channel.name!r} holds no figures.")
                    continue
                index = len(columns)
                columns.append(Column(index, str(channel.name), str(channel.unit or ""), index))
                times[index] = np.asarray(channel.timestamps, np.float64)
                values[index] = channel.samples.astype(np.float64)
                rows = max(rows, len(channel.samples))
    except BadInput:
        raise
    except Exception as error:
        raise BadInput(
            f"This MDF file cannot be read: {type(error).__name__}. Is it whole, and of version 4?"
        ) from None
    if not columns:
        raise BadInput("The MDF file holds no channel of figures.")
    start = min(float(t[0]) for t in times.values() if len(t))
    return Recording(
        tuple(columns),
        {i: t - start for i, t in times.items()},
        values,
        rows=rows,
        unread=unread,
        notes=tuple(notes),
        layout="mdf:"
        + hashlib.sha256("\x1f".join(f"{c.name} {c.unit}" for c in columns).encode()).hexdigest()[:16],
    )


def write_mdf(channels: Mapping[str, tuple[Signal, str]]) -> bytes:
    """Write channels, each a signal and its unit, as MDF 4.10."""
    asammdf = extra("asammdf")
    with asammdf.MDF(version="4.10") as file:
        for name, (s, unit) in channels.items():
            file.append([asammdf.Signal(samples=s.values, timestamps=s.times_s, name=name, unit=unit)])
        out = io.BytesIO()
        file.save(out)
    return out.getvalue()
