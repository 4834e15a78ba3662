"""The chart of a recording as a picture made here: for paper, and for a page without script. One panel for
each unit, all over the same time."""

import math
from collections.abc import Iterable
from typing import Any

import numpy as np

from frosty_piston.core.quantity import plain
from frosty_piston.core.traces import Signal, thin

from .polyline import path

LEFT = 54.0
TOP = 20.0
WIDE = 656.0
HIGH = 150.0
BETWEEN = 34.0
FOOT = 30.0
MOST = 240
LINES = 3
MARKS = 8


def steps(low: float, high: float, most: int) -> list[float]:
    """Round values between two ends, at most so many: 1, 2 or 5 of a power of ten apart."""
    span = high - low
    if not span > 0:
        return [low]
    rough = span / most
    size = 10.0 ** math.floor(math.log10(rough))
    step = next(s * size for s in (1, 2, 5, 10) if s * size >= rough)
    return [n * step for n in range(math.ceil(low / step - 1e-9), math.floor(high / step + 1e-9) + 1)]


def _ends(signals: Iterable[Signal]) -> tuple[float, float]:
    values = [v for s in signals if len(s) for v in (float(s.values.min()), float(s.values.max()))]
    low, high = (min(values), max(values)) if values else (0.0, 1.0)
    room = 0.04 * (high - low) or 0.5
    return low - room, high + room


def chart_picture(
    shown: list[tuple[str, str, Signal]],
    start: float,
    end: float,
    beside: Iterable[tuple[str, str, Signal]] = (),
    marked: Iterable[tuple[float, float, str]] = (),
) -> dict[str, Any] | None:
    """Panels with their lines, axes and marked stretches. `shown` and `beside`: title, unit and signal of
    each channel, `beside` those of the other recording, moved in time already."""
    if not shown or not end > start:
        return None

    def x(t: Any) -> Any:
        return LEFT + (np.clip(t, start, end) - start) / (end - start) * WIDE

    others = list(beside)
    colours = {title: n for n, (title, _, _) in enumerate(shown)}
    panels = []
    top = TOP
    for unit in dict.fromkeys(unit for _, unit, _ in shown):
        lines = [(t, s, False) for t, u, s in shown if u == unit] + [
            (t, s, True) for t, u, s in others if u == unit
        ]
        low, high = _ends(s for _, s, _ in lines)

        def y(v: Any, low: float = low, high: float = high, top: float = top) -> Any:
            return top + (high - v) / (high - low) * HIGH

        panels.append(
            {
                "top": top,
                "foot": top + HIGH,
                "says": [
                    (colours.get(t, 0), f"{t}{', other' if other else ''}", other) for t, _, other in lines
                ],
                "unit": unit,
                "grid": [(round(float(y(v)), 1), plain(v)) for v in steps(low, high, LINES)],
                "paths": [
                    (colours.get(t, 0), path(x(few.times_s), y(few.values)), other)
                    for t, few, other in ((t, thin(s, MOST), o) for t, s, o in lines)
                ],
            }
        )
        top += HIGH + BETWEEN
    foot = top - BETWEEN
    return {
        "panels": panels,
        "left": LEFT,
        "right": LEFT + WIDE,
        "width": LEFT + WIDE + 14,
        "foot": foot,
        "height": foot + FOOT,
        "times": [(round(float(x(t)), 1), plain(t)) for t in steps(start, end, MARKS)],
        "marked": [
            {"x": round(float(x(a)), 1), "width": round(float(x(b) - x(a)), 1), "says": name}
            for a, b, name in marked
            if b > start and a < end
        ],
    }
