"""What a workshop's own proven jobs teach: how often a fault is there, how often a repair takes, how long a
test takes; and how good its own odds were."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import exp, lgamma, log

import numpy as np

GRID = 4001
LOW = 0.05
HIGH = 0.95
FAR = 2.0


@dataclass(frozen=True, slots=True)
class Learned:
    """Something learned: by general knowledge, by the own jobs together with it, and between what it lies in
    nine of ten. `times`: how many times the general figure; `jobs`: what it rests on."""

    general: float
    own: float
    low: float
    high: float
    jobs: float

    @property
    def times(self) -> float:
        return self.own / self.general


def _quantiles(x: np.ndarray, log_density: np.ndarray) -> tuple[float, float]:
    density = np.exp(log_density - log_density.max())
    steps = np.concatenate([[0.0], np.cumsum((density[1:] + density[:-1]) / 2 * np.diff(x))])
    share = steps / steps[-1]
    return float(np.interp(LOW, share, x)), float(np.interp(HIGH, share, x))


def rate(general: float, weight_jobs: float, seen: float, jobs: float) -> Learned:
    """Return how often something is there per job: a Gamma prior with the general rate as its mean and the
    weight of some jobs, with what was seen.

    Parameters: `general`: the general rate per job, above 0; `weight_jobs`: how many jobs the general rate
    weighs, above 0; `seen`: how often it was there; `jobs`: in how many jobs. Raises ValueError for a rate or
    weight that is not above zero, or a negative count. Source: Gamma-Poisson; ``(w*r + k)/(w + n)``.

    >>> found = rate(0.1, 20, 6, 20)
    >>> round(found.own, 3), round(found.times, 2), found.low < found.own < found.high
    (0.2, 2.0, True)
    """
    if general <= 0 or weight_jobs <= 0:
        raise ValueError("a general rate and its weight are above zero")
    if seen < 0 or jobs < 0:
        raise ValueError("what was seen is not negative")
    shape = weight_jobs * general + seen
    exposure = weight_jobs + jobs
    top = (shape + 8 * shape**0.5 + 8) / exposure
    x = np.linspace(top / GRID, top, GRID)
    low, high = _quantiles(x, (shape - 1) * np.log(x) - exposure * x)
    return Learned(general, shape / exposure, low, high, jobs)


def share(general: float, weight_jobs: float, good: float, tried: float) -> Learned:
    """Return how often something goes well: a Beta prior with the general share as its mean and the weight of
    some jobs, with what was seen.

    Parameters: `general`: the general share, between 0 and 1; `weight_jobs`: what it weighs, in jobs, above
    0; `good`: how often it went well; `tried`: how often it was tried. Raises ValueError for a share outside
    0 to 1, a weight that is not above zero, or more good than tried. Source: Beta-binomial.

    >>> round(share(0.8, 10, 3, 10).own, 2), round(share(0.8, 10, 0, 0).own, 2)
    (0.55, 0.8)
    """
    if not 0 < general < 1 or weight_jobs <= 0:
        raise ValueError("a general share lies between 0 and 1, and its weight is above zero")
    if not 0 <= good <= tried:
        raise ValueError("no more went well than was tried")
    a = weight_jobs * general + good
    b = weight_jobs * (1 - general) + tried - good
    x = np.linspace(1 / GRID, 1 - 1 / GRID, GRID)
    flat = lgamma(a + b) - lgamma(a) - lgamma(b)
    low, high = _quantiles(x, flat + (a - 1) * np.log(x) + (b - 1) * np.log1p(-x))
    return Learned(general, a / (a + b), low, high, tried)


def minutes(general: float, weight_jobs: float, taken: Sequence[float]) -> Learned:
    """Return how long something takes here: the general time and the own ones in logs, those more than a
    factor of two from their median pulled in to it, so that a lunch in between does not count.

    Parameters: `general`: minutes, above 0; `weight_jobs`: how many jobs they weigh, above 0; `taken`:
    minutes that it really took, each above 0. Raises ValueError for what is not above zero. Source: a
    normal mean with clipped residuals (Huber), in logs.

    >>> usual = minutes(10, 4, [20, 21, 19, 20])
    >>> round(usual.own, 1), round(minutes(10, 4, [20, 21, 19, 400]).own, 1), minutes(10, 4, []).own
    (14.1, 15.5, 10)
    """
    if general <= 0 or weight_jobs <= 0 or any(t <= 0 for t in taken):
        raise ValueError("minutes and weights are above zero")
    if not taken:
        return Learned(general, general, general / FAR, general * FAR, 0)
    logs = np.log(np.asarray(taken, float))
    middle = float(np.median(logs))
    kept = np.clip(logs, middle - log(FAR), middle + log(FAR))
    n = len(kept)
    mean = (weight_jobs * log(general) + float(kept.sum())) / (weight_jobs + n)
    spread = max(float(kept.std()) if n > 1 else 0.0, 0.3) / (weight_jobs + n) ** 0.5
    return Learned(general, exp(mean), exp(mean - 1.645 * spread), exp(mean + 1.645 * spread), n)


def brier(stated: Sequence[float], true: Sequence[bool]) -> float | None:
    """Return the Brier score of odds that were stated: the mean square of their misses; None for none.

    Parameters: `stated`: odds from 0 to 1; `true`: whether it was so, as many. Raises ValueError when they
    are not as many. Source: Brier, 1950.

    >>> brier([1.0, 0.5], [True, False]), brier([], [])
    (0.125, None)
    """
    if len(stated) != len(true):
        raise ValueError("as many odds as answers are wanted")
    return sum((p - t) ** 2 for p, t in zip(stated, true, strict=True)) / len(stated) if stated else None


@dataclass(frozen=True, slots=True)
class Bin:
    """Odds that were alike: between what they lay, how many, what was stated in the mean, and how often it
    was so."""

    low: float
    high: float
    count: int
    stated: float
    true: float


def reliability(
    stated: Sequence[float], true: Sequence[bool], edges: Sequence[float] = (0.0, 0.2, 0.4, 0.6, 0.8, 1.0)
) -> list[Bin]:
    """Return how often it was so, for odds that were alike; bins without odds are left out.

    Parameters: `stated`: odds from 0 to 1; `true`: whether it was so, as many; `edges`: where the bins part,
    rising. Raises ValueError when they are not as many. Source: a reliability diagram.

    >>> [(b.count, b.true) for b in reliability([0.1, 0.9, 0.95], [False, True, False])]
    [(1, 0.0), (2, 0.5)]
    """
    if len(stated) != len(true):
        raise ValueError("as many odds as answers are wanted")
    bins = []
    for low, high in zip(edges, edges[1:], strict=False):
        last = high == edges[-1]
        here = [(p, t) for p, t in zip(stated, true, strict=True) if low <= p < high or last and p == high]
        if here:
            n = len(here)
            bins.append(Bin(low, high, n, sum(p for p, _ in here) / n, sum(t for _, t in here) / n))
    return bins
