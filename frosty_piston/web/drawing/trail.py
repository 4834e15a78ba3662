"""How the odds of a suspect went along the tape, as a drawing."""

from typing import Any

from frosty_piston.core.quantity import percent
from frosty_piston.job.weighing.suspicion import Step

WIDTH = 120
HEIGHT = 30
EDGE = 4
BIG_WIDTH = 640
BIG_HEIGHT = 150
MOVED_MOST = 4


def _path(odds: list[float], width: int, height: int) -> tuple[str, list[tuple[float, float]]]:
    """A line of steps: the odds hold until the next finding. Straight from 0 % at the foot to 100 % at the
    top."""
    step = (width - 2 * EDGE) / max(1, len(odds) - 1)
    spots = [
        (round(EDGE + i * step, 1), round(EDGE + (1 - p) * (height - 2 * EDGE), 1))
        for i, p in enumerate(odds)
    ]
    d = f"M{spots[0][0]} {spots[0][1]}" + "".join(f"H{x}V{y}" for x, y in spots[1:])
    return d, spots


def sparkline(steps: list[Step]) -> dict[str, Any]:
    """The small drawing beside a suspect."""
    d, spots = _path([s.odds for s in steps], WIDTH, HEIGHT)
    return {
        "d": d,
        "end": spots[-1],
        "width": WIDTH,
        "height": HEIGHT,
        "label": f"from {percent(steps[0].odds)} to {percent(steps[-1].odds)} in {len(steps) - 1} findings",
    }


def trail_view(steps: list[Step]) -> dict[str, Any]:
    """The large drawing, with the findings that moved the odds most named on it."""
    d, spots = _path([s.odds for s in steps], BIG_WIDTH, BIG_HEIGHT)
    moves = sorted(range(1, len(steps)), key=lambda i: -abs(steps[i].odds - steps[i - 1].odds))[:MOVED_MOST]
    named = [
        {
            "x": spots[i][0],
            "y": spots[i][1],
            "number": index,
            "says": steps[i].says,
            "up": steps[i].odds >= steps[i - 1].odds,
            "entries": steps[i].entries,
            "from": percent(steps[i - 1].odds),
            "to": percent(steps[i].odds),
        }
        for index, i in enumerate(sorted(moves), 1)
        if abs(steps[i].odds - steps[i - 1].odds) >= 0.01
    ]
    marks = [
        {"y": round(EDGE + (1 - p) * (BIG_HEIGHT - 2 * EDGE), 1), "says": percent(p)}
        for p in (0.25, 0.5, 0.75)
    ]
    return {
        "d": d,
        "spots": spots,
        "named": named,
        "marks": marks,
        "width": BIG_WIDTH,
        "height": BIG_HEIGHT,
        "begins": percent(steps[0].odds),
        "ends": percent(steps[-1].odds),
    }
