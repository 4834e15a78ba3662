"""Any recording in, a stretch of one out."""

import csv
import io
from collections.abc import Mapping

import numpy as np

from frosty_piston.core.traces import Signal

from .mdf_recording import MAGIC, read_mdf
from .recording import Recording


def read_recording(data: bytes) -> Recording:
    """Read a recording by what it is, whatever its name says. Raises BadInput."""
    if data.startswith(MAGIC):
        return read_mdf(data)
    from .csv_recording import read_csv

    return read_csv(data)


def write_csv(channels: Mapping[str, tuple[Signal, str]]) -> str:
    """Write channels as CSV: one row for every time at which any of them has a sample, empty where it has
    none."""
    times = np.unique(np.concatenate([s.times_s for s, _ in channels.values()])) if channels else np.zeros(0)
    cells = []
    for s, _ in channels.values():
        column = np.full(len(times), "", object)
        column[np.searchsorted(times, s.times_s)] = [f"{v:.7g}" for v in s.values]
        cells.append(column)
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(
        ["time [s]", *[f"{name} [{unit}]" if unit else name for name, (_, unit) in channels.items()]]
    )
    writer.writerows([f"{t:.6g}", *row] for t, row in zip(times, zip(*cells, strict=True), strict=True))
    return out.getvalue()
