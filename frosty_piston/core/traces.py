"""Recorded channels: cleaned, cut, thinned without losing a spike, laid beside each other, aligned at an
event."""

from dataclasses import dataclass

import numpy as np

LONGEST_GAP_STEPS = 8.0
MOVED_SHARE = 0.002
STAIR_STEPS = 1.8


@dataclass(frozen=True, slots=True, eq=False)
class Signal:
    """One recorded channel: `times_s` strictly rising, shape (N,), and its `values`, shape (N,), all
    finite."""

    times_s: np.ndarray
    values: np.ndarray

    def __len__(self) -> int:
        return len(self.times_s)

    @property
    def step_s(self) -> float:
        """The median time between samples; 0 for fewer than two."""
        return float(np.median(np.diff(self.times_s))) if len(self) > 1 else 0.0

    @property
    def longest_step_s(self) -> float:
        """What is still no gap: a second, or eight times the usual step."""
        return max(1.0, LONGEST_GAP_STEPS * self.step_s)

    @property
    def span(self) -> tuple[float, float]:
        return (float(self.times_s[0]), float(self.times_s[-1])) if len(self) else (0.0, 0.0)


def signal(times_s: np.ndarray, values: np.ndarray) -> Signal:
    """Make a signal of what was recorded: samples without a figure are left out.

    `times_s`, `values`: shape (N,). Raises ValueError when the two differ in length or the time runs
    backwards; of samples at the same time the last one stands. Source: what loggers write.

    >>> s = signal(np.array([0.0, 1.0, 1.0, 2.0]), np.array([5.0, 6.0, 7.0, np.nan]))
    >>> s.times_s.tolist(), s.values.tolist()
    ([0.0, 1.0], [5.0, 7.0])
    """
    times_s = np.asarray(times_s, float)
    values = np.asarray(values, float)
    if times_s.shape != values.shape or times_s.ndim != 1:
        raise ValueError("a signal has one value for every time")
    kept = np.isfinite(times_s) & np.isfinite(values)
    times_s = times_s[kept]
    values = values[kept]
    if np.any(np.diff(times_s) < 0):
        raise ValueError("the time runs backwards")
    last = np.append(np.diff(times_s) > 0, True)[: len(times_s)]
    return Signal(times_s[last], values[last])


@dataclass(frozen=True, slots=True)
class ChannelFigures:
    """A channel in figures: how far it goes, its mean, first and last value, samples a second (0 when
    unknown), gaps."""

    low: float
    high: float
    mean: float
    first: float
    last: float
    rate_hz: float
    gaps: int


def figures_of(signal: Signal) -> ChannelFigures:
    """Return a channel of one sample or more in figures. A gap: over a second and over eight times the usual
    step.

    Parameters: `s`: the signal. Raises ValueError for an empty signal.

    >>> figures_of(Signal(np.array([0.0, 0.5, 1.0, 9.0]), np.array([1.0, 2.0, 3.0, 6.0])))
    ChannelFigures(low=1.0, high=6.0, mean=3.0, first=1.0, last=6.0, rate_hz=2.0, gaps=1)
    """
    step = signal.step_s
    values = signal.values
    gaps = int((np.diff(signal.times_s) > signal.longest_step_s).sum())
    return ChannelFigures(
        float(values.min()),
        float(values.max()),
        float(values.mean()),
        first=float(values[0]),
        last=float(values[-1]),
        rate_hz=1 / step if step else 0.0,
        gaps=gaps,
    )


def cut(signal: Signal, start_s: float, end_s: float) -> Signal:
    """Return the stretch of a signal between two times, both included.

    Parameters: `s`: the signal; `start_s`: from, in s; `end_s`: to, in s.

    >>> cut(Signal(np.arange(5.0), np.arange(5.0)), 1, 3).values.tolist()
    [1.0, 2.0, 3.0]
    """
    inside = slice(
        int(np.searchsorted(signal.times_s, start_s, "left")),
        int(np.searchsorted(signal.times_s, end_s, "right")),
    )
    return Signal(signal.times_s[inside], signal.values[inside])


def thin(signal: Signal, most: int) -> Signal:
    """Return at most `most` samples that draw the same picture: of every bucket the lowest and the highest
    stand, so that no spike is lost, and the first and last sample.

    `most`: at least 8. A signal that is short enough is answered as it is. Parameters: `s`: the signal.
    Source: lowest and highest of each bucket.

    >>> t = np.arange(100_000) / 100
    >>> v = np.where(np.arange(100_000) == 54_321, 9.0, np.sin(t))
    >>> small = thin(signal(t, v), 1000)
    >>> len(small) <= 1000, float(small.values.max())
    (True, 9.0)
    """
    if most < 8:
        raise ValueError("at least 8 samples are drawn")
    if len(signal) <= most:
        return signal
    buckets = (most - 2) // 2
    edges = np.linspace(0, len(signal), buckets + 1).astype(np.intp)
    low = np.minimum.reduceat(signal.values, edges[:-1])
    high = np.maximum.reduceat(signal.values, edges[:-1])
    number = np.repeat(np.arange(buckets), np.diff(edges))
    places = np.full((2, buckets), len(signal), np.intp)
    for row, level in enumerate((low, high)):
        hit = np.flatnonzero(signal.values == level[number])
        np.minimum.at(places[row], number[hit], hit)
    kept = np.unique(np.concatenate([[0], places.ravel(), [len(signal) - 1]]))
    return Signal(signal.times_s[kept], signal.values[kept])


def held(signal: Signal, at_s: np.ndarray, longest_gap_s: float | None = None) -> np.ndarray:
    """Return what a signal held at some times: the last sample before each. Before the first sample, and
    longer after one than `longest_gap_s` (general: eight of its steps, at least one second), nothing is
    known: NaN.

    Parameters: `s`: the signal; `at_s`: moments in s. Source: a value stands until the next.

    >>> held(Signal(np.array([0.0, 1.0]), np.array([5.0, 6.0])), np.array([-1.0, 0.5, 1.2, 30.0])).tolist()
    [nan, 5.0, 6.0, nan]
    """
    if not len(signal):
        return np.full(len(at_s), np.nan)
    longest = signal.longest_step_s if longest_gap_s is None else longest_gap_s
    place = np.searchsorted(signal.times_s, at_s, side="right") - 1
    values = signal.values[np.maximum(place, 0)]
    age = at_s - signal.times_s[np.maximum(place, 0)]
    return np.where((place < 0) | (age > longest), np.nan, values)


def between(signal: Signal, at_s: np.ndarray, longest_gap_s: float | None = None) -> np.ndarray:
    """Return a signal at some times on straight lines between its samples; NaN outside it and in its gaps.

    Parameters: `s`: the signal; `at_s`: moments in s, shape (M,); `longest_gap_s`: longest gap that is still
    bridged, s. Source: straight lines.

    >>> between(Signal(np.array([0.0, 1.0]), np.array([5.0, 6.0])), np.array([-1.0, 0.5])).tolist()
    [nan, 5.5]
    """
    if not len(signal):
        return np.full(len(at_s), np.nan)
    longest = signal.longest_step_s if longest_gap_s is None else longest_gap_s
    after = np.clip(np.searchsorted(signal.times_s, at_s, side="left"), 0, len(signal) - 1)
    gap = signal.times_s[after] - signal.times_s[np.maximum(after - 1, 0)]
    outside = (at_s < signal.times_s[0]) | (at_s > signal.times_s[-1])
    return np.where(
        outside | ((gap > longest) & (at_s < signal.times_s[after])),
        np.nan,
        np.interp(at_s, signal.times_s, signal.values),
    )


def refresh_s(signal: Signal) -> float:
    """Return how often a channel is really renewed: many recordings repeat a slow channel at the rate of a
    fast one, which makes stairs.

    The shortest usual time (a tenth of them are shorter) between two changes while it moves. A channel that
    never changes, or that drifts slowly between its jumps, answers its step.

    Parameters: `s`: the signal.

    >>> t = np.arange(0, 20, 0.1)
    >>> round(refresh_s(Signal(t, np.floor(t / 0.5))), 2)
    0.5
    """
    if len(signal) < 3:
        return signal.step_s
    size = max(float(np.ptp(signal.values)) * MOVED_SHARE, 1e-12)
    at = np.flatnonzero(np.abs(np.diff(signal.values)) > size) + 1
    if len(at) < 4:
        return signal.step_s
    drifted = np.abs(signal.values[at[1:] - 1] - signal.values[at[:-1]])
    if np.median(drifted) > size:
        return signal.step_s
    return max(signal.step_s, float(np.percentile(np.diff(signal.times_s[at]), 10)))


def without_stairs(signal: Signal) -> Signal:
    """Return a signal at the moments it was renewed, when it stands in stairs; else the signal itself.

    Parameters: `s`: the signal. Source: `refresh_s`.

    >>> t = np.arange(0, 20, 0.1)
    >>> len(without_stairs(Signal(t, np.floor(t / 0.5)))) < 45
    True
    """
    renewed = refresh_s(signal)
    step = max(signal.step_s, 1e-9)
    if renewed < STAIR_STEPS * step:
        return signal
    size = max(float(np.ptp(signal.values)) * MOVED_SHARE, 1e-12)
    changed = np.abs(np.diff(signal.values, prepend=signal.values[0])) > size
    changed[0] = changed[-1] = True
    number = np.floor((signal.times_s - signal.times_s[0]) / renewed)
    still = np.append(True, np.diff(number) > 0)
    for at in np.flatnonzero(changed):
        still[max(0, at - int(renewed / step) + 1) : at] = False
    kept = changed | still
    return Signal(signal.times_s[kept], signal.values[kept])


def beside(signals: list[Signal], step_s: float | None = None) -> tuple[np.ndarray, list[np.ndarray]]:
    """Lay several signals on one time axis where all of them were recorded.

    `step_s`: the step of the axis; without one that of the finest signal, at least 0.02 s. Returns the times,
    shape (M,), and each signal on them by straight lines; moments at which one is unknown are left out.
    Source: `between`.

    >>> a = Signal(np.arange(0, 3, 0.5), np.arange(6.0))
    >>> t, (x, y) = beside([a, Signal(np.array([0.0, 1.0, 2.0]), np.array([0.0, 10.0, 20.0]))])
    >>> t.tolist(), y.tolist()
    ([0.0, 0.5, 1.0, 1.5, 2.0], [0.0, 5.0, 10.0, 15.0, 20.0])
    """
    if not signals or any(len(s) < 2 for s in signals):
        return np.zeros(0), [np.zeros(0) for _ in signals]
    start = max(s.span[0] for s in signals)
    end = min(s.span[1] for s in signals)
    step = max(0.02, min(s.step_s for s in signals)) if step_s is None else step_s
    if end <= start:
        return np.zeros(0), [np.zeros(0) for _ in signals]
    at_s = start + step * np.arange(int((end - start) / step + 1e-9) + 1)
    rows = [between(s, at_s) for s in signals]
    known = np.all(np.isfinite(rows), axis=0)
    return at_s[known], [row[known] for row in rows]


def event_s(signal: Signal, level: float, rising: bool = True) -> float | None:
    """Return when a signal first crosses a level, on a straight line between the samples; None when it never
    does. Two recordings are laid over each other at such an event.

    Parameters: `s`: the signal; `rising`: upwards, else downwards. Source: a straight line between two
    samples.

    >>> event_s(Signal(np.array([0.0, 1.0, 2.0]), np.array([0.0, 0.0, 10.0])), 5)
    1.5
    """
    above = signal.values >= level if rising else signal.values <= level
    crossed = np.flatnonzero(~above[:-1] & above[1:])
    if not len(crossed):
        return None
    i = int(crossed[0])
    share = (level - signal.values[i]) / (signal.values[i + 1] - signal.values[i])
    return float(signal.times_s[i] + share * (signal.times_s[i + 1] - signal.times_s[i]))


def runs(flags: np.ndarray) -> list[slice]:
    """Return the stretches, as slices, in which a row of flags, shape (N,), stays true.

    >>> runs(np.array([False, True, True, False, True]))
    [slice(1, 3, None), slice(4, 5, None)]
    """
    edges = np.flatnonzero(np.diff(np.concatenate([[False], flags, [False]]).astype(int)))
    return [slice(int(s), int(e)) for s, e in zip(edges[::2], edges[1::2], strict=True)]


def spaced(signal: Signal, most: int = 100_000) -> Signal:
    """Return a channel with every n-th sample only, so that at most `most` are left: enough to be judged, not
    to be drawn.

    Parameters: `s`: the signal.

    >>> len(spaced(Signal(np.arange(1000.0), np.zeros(1000)), 300))
    250
    """
    every = -(-len(signal) // most)
    return signal if every <= 1 else Signal(signal.times_s[::every], signal.values[::every])
