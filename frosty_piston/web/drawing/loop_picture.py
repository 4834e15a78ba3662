"""The loop picture of a drive: actual against commanded, both ways, with dead spots hatched and stops as
ceilings."""

from typing import Any

import numpy as np

from frosty_piston.core.actuators import DriveReport, sweeps, upright
from frosty_piston.core.traces import Signal, beside
from frosty_piston.knowledge.parts import DriveShape

from .polyline import path

SIZE = 260
EDGE = 30
MOST = 1500
MOST_WAYS = 7
LOW = -5.0
HIGH = 105.0


def _x(percent: Any) -> Any:
    return EDGE + (percent - LOW) / (HIGH - LOW) * SIZE


def _y(percent: Any) -> Any:
    return EDGE + (HIGH - np.clip(percent, LOW, HIGH)) / (HIGH - LOW) * SIZE


def _any_way(c: np.ndarray) -> list[tuple[int, slice]]:
    """Without a sweep, every stretch in which the command keeps its direction."""
    way = np.sign(np.append(0.0, np.diff(c)))
    edges = np.flatnonzero(np.diff(way)) + 1
    return [
        (int(way[s]), slice(int(s), int(e)))
        for s, e in zip([0, *edges], [*edges, len(c)], strict=True)
        if e - s > 1 and way[s]
    ]


def _path(c: np.ndarray, a: np.ndarray, most: int) -> str:
    every = max(1, -(-len(c) // most))
    return path(np.asarray(_x(c[::every]), float), np.asarray(_y(a[::every]), float), 1.5)


def _some(ways: list[tuple[int, slice]], wanted: int) -> list[slice]:
    """The ways in one direction, spread over the recording when there are too many to draw."""
    found = [r for way, r in ways if way == wanted]
    return (
        found
        if len(found) <= MOST_WAYS
        else [found[i] for i in np.linspace(0, len(found) - 1, MOST_WAYS).astype(int)]
    )


def loop_picture(
    channels: dict[str, Signal], drive: DriveShape, report: DriveReport | None
) -> dict[str, Any] | None:
    """The paths of the way up and the way down, the line of a perfect drive, and what the report found. None
    when command and position are never recorded together."""
    recorded = drive.channels(channels)
    if recorded is None:
        return None
    command, position, percent = recorded
    t, (c, a) = beside([channels[command], channels[position]])
    if len(t) < 4:
        return None
    a = upright(c, a, percent)
    ways = sweeps(c, c) or _any_way(c)
    up, down = (
        " ".join(_path(c[r], a[r], max(2, MOST // len(some))) for r in some)
        for some in (_some(ways, 1), _some(ways, -1))
    )
    spots = [
        {
            "x": round(_x(start), 1),
            "width": round(_x(end) - _x(start), 1),
            "says": f"{start:.0f} to {end:.0f} %",
        }
        for start, end in (report.dead_spots if report else ())
    ]
    marks = [{"at": p, "x": round(_x(p), 1), "y": round(float(_y(p)), 1)} for p in (0, 25, 50, 75, 100)]
    return {
        "up": up,
        "down": down,
        "ideal": f"M{_x(0):.1f} {_y(0):.1f}L{_x(100):.1f} {_y(100):.1f}",
        "spots": spots,
        "marks": marks,
        "size": SIZE + 2 * EDGE,
        "left": EDGE,
        "top": EDGE,
        "inner": SIZE,
        "foot": EDGE + SIZE,
        "middle": EDGE + SIZE / 2,
        "name": EDGE + SIZE + 22,
    }
