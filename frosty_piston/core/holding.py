"""Holding: how fast a closed volume loses its vacuum, what hole that is, and how long one must wait to
tell."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from .vacuum import CHOKED_SHARE, SEA_LEVEL, Ambient, VacuumLimits, leak_tau_s, left_kpa

SURE_STEPS = 2.0
HAND_PUMP_ML = 20.0
CONTRACTION = 0.62
CHOKED_MM_S = 198_600.0


@dataclass(frozen=True, slots=True)
class Held:
    """What a hold test came to: the time constant in s with its uncertainty, endless when nothing was
    lost that the gauge can show, and the loss in kPa a second while the hole is choked, None below
    that."""

    tau_s: float
    u_s: float
    choked_kpa_s: float | None


@dataclass(frozen=True, slots=True)
class Hole:
    """A leak as a conductance in ml/s, with its uncertainty: what compares branches of different volume."""

    ml_s: float
    u_ml_s: float


def hold_fit(points: Sequence[tuple[float, float]], step_kpa: float, ambient: Ambient) -> Held:
    """Return the time constant of a leak from readings over time: the line through the logarithms of those
    below 47 % of ambient, where it is constant; above that the rate is.

    Parameters: `points`: seconds and kPa below ambient, two at least; `step_kpa`: what the gauge is read
    to, kPa; `ambient`: the air around. Raises ValueError with fewer than two points or times that stand
    still. Source: least squares; a hole under a pressure ratio of 0.53 is choked.

    >>> from .vacuum import SEA_LEVEL
    >>> falling = [(t, 40 * math.exp(-t / 300)) for t in range(0, 61, 10)]
    >>> round(hold_fit(falling, 0.5, SEA_LEVEL).tau_s)
    300
    """
    ordered = sorted(points)
    if len(ordered) < 2 or ordered[0][0] == ordered[-1][0]:
        raise ValueError("two readings at different times are wanted")
    most = CHOKED_SHARE * ambient.kpa
    choked = [p for p in ordered if p[1] > most]
    below = [(t, v) for t, v in ordered if 0 < v <= most]
    rate = None
    if len(choked) >= 2:
        rate = (choked[0][1] - choked[-1][1]) / (choked[-1][0] - choked[0][0])
    if len(below) < 2:
        (t0, v0) = ordered[0]
        (t1, v1) = ordered[-1]
        tau = leak_tau_s(v0, v1, t1 - t0, ambient) if v1 > 0 and v0 > v1 else math.inf
        loss = max(v0 - v1, 0.0)
        return Held(tau, _apart(tau, loss, step_kpa), rate)
    slope, u_slope = _slope([(t, math.log(v), step_kpa / math.sqrt(12) / v) for t, v in below])
    if slope >= 0 or -slope < u_slope:
        return Held(math.inf, math.inf, rate)
    return Held(-1 / slope, u_slope / slope**2, rate)


def _apart(tau_s: float, loss_kpa: float, step_kpa: float) -> float:
    """The uncertainty of a time constant from two readings: that of the loss between them."""
    if math.isinf(tau_s) or loss_kpa <= 0:
        return math.inf
    return tau_s * math.sqrt(2 / 12) * step_kpa / loss_kpa


def _slope(rows: Sequence[tuple[float, float, float]]) -> tuple[float, float]:
    """The slope of a line through points with an uncertainty each, and its own."""
    weights = [1 / u**2 for _, _, u in rows]
    whole = sum(weights)
    mid_t = sum(w * t for w, (t, _, _) in zip(weights, rows, strict=True)) / whole
    mid_y = sum(w * y for w, (_, y, _) in zip(weights, rows, strict=True)) / whole
    spread = sum(w * (t - mid_t) ** 2 for w, (t, _, _) in zip(weights, rows, strict=True))
    slope = sum(w * (t - mid_t) * (y - mid_y) for w, (t, y, _) in zip(weights, rows, strict=True)) / spread
    return slope, math.sqrt(1 / spread)


def least_wait_s(
    limits: VacuumLimits,
    start_kpa: float,
    step_kpa: float,
    volume_ml: float,
    usual_ml: float,
    branch: bool = False,
) -> float:
    """Return how long to wait until a leak that counts shows two steps of the gauge: the same hole takes
    longer to show on a larger volume.

    Parameters: `limits`: the limits of the area; `start_kpa`: where it is pumped to; `step_kpa`: what the
    gauge is read to, kPa; `volume_ml`: what is pumped, ml; `usual_ml`: the volume that the limit speaks
    of, ml; `branch`: whether the limit of a branch counts. Raises ValueError when the gauge is too coarse
    for it at any time. Source: `tau = V/C` with the hole that loses the limit from its level.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(VacuumLimits)
    >>> round(least_wait_s(limits, 60, 1, 55, 55)), round(least_wait_s(limits, 60, 1, 1100, 55))
    (40, 800)
    """
    if SURE_STEPS * step_kpa >= start_kpa:
        raise ValueError(f"a gauge read to {step_kpa:g} kPa cannot tell from {start_kpa:g}")
    loss = limits.branch_loss_kpa if branch else limits.part_loss_kpa
    level = limits.hold_level_kpa
    tau = leak_tau_s(level, level - loss, limits.hold_s) * volume_ml / usual_ml
    return tau / leak_tau_s(start_kpa, start_kpa - SURE_STEPS * step_kpa, 1.0)


def without_pump(
    start_kpa: float,
    end_kpa: float,
    seconds: float,
    pump_tau_s: float,
    volume_ml: float,
    ambient: Ambient = SEA_LEVEL,
) -> float:
    """Return what would be left without the hand pump's own leak: its hole is known from the pump capped, and
    draws on the larger volume.

    Parameters: `start_kpa`, `end_kpa`: as read, kPa below ambient; `seconds`: the time between, s, above 0;
    `pump_tau_s`: the time constant of the pump capped, s; `volume_ml`: what was pumped, ml; `ambient`: the
    air around. Source: holes beside each other add; a hand pump with its hose holds about 20 ml (general).

    >>> round(without_pump(60, 54, 60, 600, 55), 1), without_pump(60, 60, 60, math.inf, 55)
    (55.3, 60)
    """
    if math.isinf(pump_tau_s) or not 0 < end_kpa < start_kpa:
        return end_kpa
    pump_ml_s = HAND_PUMP_ML / pump_tau_s
    rate = 1 / leak_tau_s(start_kpa, end_kpa, seconds, ambient) - pump_ml_s / (volume_ml + HAND_PUMP_ML)
    return start_kpa if rate <= 0 else left_kpa(start_kpa, seconds, 1 / rate, ambient)


def hole(held: Held, volume_ml: float, u_volume_ml: float = 0.0) -> Hole:
    """Return the hole behind a time constant: ``C = V/tau``; none where nothing was lost.

    Parameters: `held`: what the hold test came to; `volume_ml`, `u_volume_ml`: what was pumped and how sure
    that is, ml. Source: definition of conductance.

    >>> hole(Held(100.0, 5.0, None), 50.0)
    Hole(ml_s=0.5, u_ml_s=0.025)
    """
    if math.isinf(held.tau_s):
        return Hole(0.0, 0.0)
    c = volume_ml / held.tau_s
    return Hole(c, c * math.hypot(held.u_s / held.tau_s, u_volume_ml / volume_ml))


def hole_mm(ml_s: float) -> float:
    """Return how wide a round hole of a conductance is, mm.

    Parameters: `ml_s`: the conductance in ml/s, 0 or more. Source: choked flow of air at 20 C through a
    sharp-edged hole, 198.6 m/s at its throat reckoned as outside air, contraction 0.62.

    >>> round(hole_mm(1.0), 3)
    0.07
    """
    area_mm2 = CHOKED_SHARE * ml_s * 1000 / (CONTRACTION * CHOKED_MM_S)
    return math.sqrt(4 * area_mm2 / math.pi)


def unfound(whole: Hole, branches: Sequence[Hole]) -> Hole | None:
    """Return what leaks beside the branches that were measured; None when their sum is the whole within what
    can be told.

    Parameters: `whole`: the hole of everything; `branches`: those of its branches. Source: holes beside each
    other add.

    >>> found = [Hole(0.3, 0.03), Hole(0.2, 0.02)]
    >>> unfound(Hole(0.52, 0.04), found) is None, round(unfound(Hole(1.0, 0.04), found).ml_s, 2)
    (True, 0.5)
    """
    rest = whole.ml_s - sum(b.ml_s for b in branches)
    u = math.sqrt(whole.u_ml_s**2 + sum(b.u_ml_s**2 for b in branches))
    return Hole(rest, u) if rest > 2 * u else None
