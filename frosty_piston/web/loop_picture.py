"""The loop picture of a drive: actual against commanded, both ways, with dead spots hatched and stops as ceilings."""

from typing import Any

import numpy as np

from frosty_piston.core.actuators import DriveReport, sweeps
from frosty_piston.core.traces import Signal, beside
from frosty_piston.job.judging.recorded import DRIVES

SIZE, EDGE, MOST = 260, 30, 900
LOW, HIGH = -5.0, 105.0


def _x(percent: float) -> float:
    return round(EDGE + (percent - LOW) / (HIGH - LOW) * SIZE, 1)


def _y(percent: float) -> float:
    return round(EDGE + (HIGH - min(HIGH, max(LOW, percent))) / (HIGH - LOW) * SIZE, 1)


def _any_way(c: np.ndarray) -> list[tuple[int, slice]]:
    """Without a sweep, every stretch in which the command keeps its direction."""
    way = np.sign(np.append(0.0, np.diff(c)))
    edges = np.flatnonzero(np.diff(way)) + 1
    return [(int(way[s]), slice(int(s), int(e))) for s, e in zip([0, *edges], [*edges, len(c)], strict=True) if e - s > 1 and way[s]]


def _path(c: np.ndarray, a: np.ndarray) -> str:
    every = max(1, int(np.ceil(len(c) / MOST)))
    return "M" + "L".join(f"{_x(x)} {_y(y)}" for x, y in zip(c[::every], a[::every], strict=True)) if len(c) else ""


def loop_picture(channels: dict[str, Signal], node: str, report: DriveReport | None) -> dict[str, Any] | None:
    """The paths of the way up and the way down, the line of a perfect drive, and what the report found. None when command
    and position are never recorded together."""
    command, position, _ = DRIVES[node]
    t, (c, a) = beside([channels[command], channels[position]])
    if len(t) < 4:
        return None
    if np.ptp(c) > 0 and np.ptp(a) > 0 and np.corrcoef(c, a)[0, 1] < -0.3:
        a = 100 - a
    ways = sweeps(c, c) or _any_way(c)
    up, down = (" ".join(_path(c[r], a[r]) for way, r in ways if way == wanted) for wanted in (1, -1))
    spots = [{"x": _x(s), "width": round(_x(e) - _x(s), 1), "says": f"{s:.0f} to {e:.0f} %"} for s, e in (report.dead_spots if report else ())]
    marks = [{"at": p, "x": _x(p), "y": _y(p)} for p in (0, 25, 50, 75, 100)]
    return {"up": up, "down": down, "ideal": f"M{_x(0)} {_y(0)}L{_x(100)} {_y(100)}", "spots": spots, "marks": marks, "size": SIZE + 2 * EDGE, "left": EDGE, "top": EDGE, "inner": SIZE,
            "foot": EDGE + SIZE, "middle": EDGE + SIZE / 2, "rest": _y(report.closed_offset) if report and report.closed_offset is not None else None, "name": EDGE + SIZE + 22}
