"""Paths of measured lines, drawn with no more points than the eye can tell apart."""

import numpy as np
from numpy.typing import NDArray


def needed(xs: NDArray[np.float64], ys: NDArray[np.float64], off_px: float) -> NDArray[np.intp]:
    """Which points a line needs so that no left-out one lies farther off it than `off_px`: the Ramer-Douglas-
    Peucker rule."""
    if len(xs) < 3:
        return np.arange(len(xs))
    kept = np.zeros(len(xs), bool)
    kept[[0, -1]] = True
    todo = [(0, len(xs) - 1)]
    while todo:
        a, b = todo.pop()
        if b - a < 2:
            continue
        dx = xs[b] - xs[a]
        dy = ys[b] - ys[a]
        px = xs[a + 1 : b] - xs[a]
        py = ys[a + 1 : b] - ys[a]
        long = float(np.hypot(dx, dy))
        far = np.abs(dx * py - dy * px) / long if long > 0 else np.hypot(px, py)
        n = int(np.argmax(far))
        if far[n] > off_px:
            kept[a + 1 + n] = True
            todo += [(a, a + 1 + n), (a + 1 + n, b)]
    return np.flatnonzero(kept)


def path(xs: NDArray[np.float64], ys: NDArray[np.float64], off_px: float = 1.0) -> str:
    """The path of a line over the points it needs; empty without any."""
    if not len(xs):
        return ""
    few = needed(xs, ys, off_px)
    pairs = zip(np.round(xs[few], 1).tolist(), np.round(ys[few], 1).tolist(), strict=True)
    return "M" + "L".join(f"{x:g} {y:g}" for x, y in pairs)
