"""Where the names of a drawing stand: beside their part, off pipes, parts and other names where it can be."""

import re
from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .sheet import PartDrawing, Pipe

PER_SIGN = 7.8
TALL = 15.0
FIGURE = 44.0
PIPE_HALF = 5.0
GAP = 2.0
SLIDES = tuple(sorted(range(-72, 73, 8), key=abs))
ACROSS_PIPE = 10.0
ACROSS_PART = 11.0
ACROSS_NAME = 14.0
ACROSS_FIGURE = 1.0
OFF_SHEET = 100.0
ROUNDS = 5
FARTHER = 0.3
APART = np.array((-6.0, 0.0, 6.0, 0.0))
SIGNS = re.compile(r"([MHVhv])\s*(-?[\d.]+)(?:[\s,]+(-?[\d.]+))?")

Box = tuple[float, float, float, float]
Boxes = NDArray[Any]


def runs(d: str) -> list[Box]:
    """The straight runs of a path of M, H, V, h and v, as thin boxes."""
    x = y = 0.0
    found: list[Box] = []
    for sign, one, other in SIGNS.findall(d):
        a = float(one)
        if sign == "M":
            x = a
            y = float(other)
            continue
        nx, ny = {"H": (a, y), "V": (x, a), "h": (x + a, y), "v": (x, y + a)}[sign]
        found.append(
            (
                min(x, nx) - PIPE_HALF,
                min(y, ny) - PIPE_HALF,
                max(x, nx) + PIPE_HALF,
                max(y, ny) + PIPE_HALF,
            )
        )
        x = nx
        y = ny
    return found


def name_box(part_drawing: PartDrawing, figure: float = 0.0) -> Box:
    """The box of a name as it stands, with room for a figure behind it."""
    wide = len(part_drawing.label) * PER_SIGN
    left = {
        "start": part_drawing.label_x,
        "end": part_drawing.label_x - wide - figure,
        "middle": part_drawing.label_x - (wide + figure) / 2,
    }[part_drawing.anchor]
    return (left, part_drawing.label_y - TALL, left + wide + figure, part_drawing.label_y + GAP)


def _ways(part_drawing: PartDrawing) -> Iterable[PartDrawing]:
    """A name where it was put, and every other place beside its part, the nearest first."""
    yield part_drawing
    for at, lift in (("below", 0.0), ("above", 0.0), ("below", 7.0), ("above", -7.0)):
        for slide in SLIDES:
            if abs(slide) <= part_drawing.w / 2 + len(part_drawing.label) * PER_SIGN / 2:
                yield replace(part_drawing, label_at=at, label_dx=float(slide), label_dy=lift)
    for at in ("right", "left"):
        for slide in (x for x in SLIDES if abs(x) <= 40):
            if abs(slide) <= part_drawing.h / 2 + TALL:
                yield replace(part_drawing, label_at=at, label_dx=0.0, label_dy=float(slide))


def placed(
    shapes: Sequence[PartDrawing], pipes: Sequence[Pipe], wide: float, high: float
) -> list[PartDrawing]:
    """The shapes with their names where they cross the least; those with the fewest free places choose first,
    and all choose again once the others stand."""
    lines = np.array([run for p in pipes for run in runs(p.d)] or np.empty((0, 4)))
    bodies = np.array([(s.x, s.y, s.x + s.w, s.y + s.h) for s in shapes])
    named = [n for n, s in enumerate(shapes) if s.label and not s.symbol.startswith("block")]
    ways = {n: list(_ways(shapes[n])) for n in named}
    names = {n: np.array([name_box(w) for w in ways[n]]) for n in named}
    with_figures = {n: np.array([name_box(w, FIGURE) for w in ways[n]]) for n in named}
    own = {
        n: _crossed(names[n], with_figures[n], lines, bodies=np.delete(bodies, n, 0), wide=wide, high=high)
        for n in named
    }
    best = list(shapes)
    taken = {n: name_box(s) for n, s in enumerate(shapes) if s.label and s.symbol.startswith("block")}
    order = sorted(named, key=lambda n: int((own[n] < ACROSS_PART).sum()))
    for n in order * ROUNDS:
        others = np.array([box for i, box in taken.items() if i != n] or np.empty((0, 4)))
        cost = (
            own[n]
            + ACROSS_NAME * _hits(names[n] + APART, others)
            + ACROSS_FIGURE * _hits(with_figures[n], others)
        )
        pick = int(np.argmin(cost))
        best[n] = ways[n][pick]
        taken[n] = name_box(ways[n][pick])
    return best


def _hits(boxes: Boxes, others: Boxes) -> Boxes:
    """How many of some boxes each box lies over."""
    a = boxes[:, None, :]
    b = others[None, :, :]
    over = (
        (a[..., 0] < b[..., 2]) & (b[..., 0] < a[..., 2]) & (a[..., 1] < b[..., 3]) & (b[..., 1] < a[..., 3])
    )
    return np.asarray(over.sum(axis=1), dtype=float)


def _crossed(
    names: Boxes, with_figures: Boxes, lines: Boxes, bodies: Boxes, wide: float, high: float
) -> Boxes:
    """What each place costs by itself: pipes and parts under the name or its figure, the sheet's edge, and
    how far it is from the usual place."""
    cost = ACROSS_PIPE * _hits(names, lines) + ACROSS_PART * _hits(names, bodies)
    cost += ACROSS_FIGURE * (_hits(with_figures, lines) + _hits(with_figures, bodies))
    f = with_figures
    off = (f[:, 0] < 2) | (f[:, 2] > wide - 2) | (f[:, 1] < 2) | (f[:, 3] > high - 2)
    cost = cost + OFF_SHEET * off + FARTHER * np.sqrt(np.arange(len(names)))
    return np.asarray(cost, dtype=float)
