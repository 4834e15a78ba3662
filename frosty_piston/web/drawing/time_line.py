"""A reading over the visits of a vehicle, drawn as a line with its figures and days."""

from collections.abc import Sequence
from datetime import datetime
from typing import Any

from frosty_piston.core.quantity import plain

LEFT = 24
WIDE = 452
BOTTOM = 104
HIGH = 78
ROOM = 1.15


def time_line(points: Sequence[tuple[datetime, float]]) -> dict[str, Any]:
    """The picture of a line, 500 wide and 132 high: its points, each figure and day. Empty for fewer than
    two."""
    if len(points) < 2:
        return {"points": "", "rows": []}
    first = points[0][0].timestamp()
    last = points[-1][0].timestamp()
    top = max(max(v for _, v in points) * ROOM, 1e-9)
    placed = []
    for when, value in points:
        x = round(LEFT + (when.timestamp() - first) / max(last - first, 1.0) * WIDE, 1)
        y = round(BOTTOM - max(value, 0.0) / top * HIGH, 1)
        placed.append((x, y, plain(round(value, 1)), f"{when.day} {when:%b}"))
    return {"points": " ".join(f"{x},{y}" for x, y, _, _ in placed), "rows": placed}
