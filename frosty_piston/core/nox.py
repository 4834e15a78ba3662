"""NOx and DEF beside each other: masses, what is wanted of DEF, and which of sensor, dosing, fluid and
catalyst is left standing."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from .quantity import plain
from .traces import Signal, beside

M_NO2 = 46.01
M_EXHAUST = 28.9
M_UREA = 60.06
DEF_SHARE = 0.325
DEF_G_PER_ML = 1.09
UREA_PER_NOX = 0.5


def nox_mass_g_s(ppm: float, exhaust_g_s: float) -> float:
    """Return the mass of NOx, counted as NO2, in an exhaust: ``m = ppm*1e-6 * (M_NO2/M_exh) * m_exh``, g/s.

    Parameters: `ppm`: NOx by volume, 0 or more; `exhaust_g_s`: exhaust mass flow in g/s, 0 or more. Raises
    ValueError for less than nothing. Source: molar masses 46.01 and
    28.9 g/mol.

    >>> round(nox_mass_g_s(300, 51.5) * 1000, 1), round(nox_mass_g_s(300, 51.5) * 3600, 1)
    (24.6, 88.5)
    """
    if ppm < 0 or exhaust_g_s < 0:
        raise ValueError("neither NOx nor exhaust can be less than nothing")
    return ppm * 1e-6 * (M_NO2 / M_EXHAUST) * exhaust_g_s


def def_per_gram() -> float:
    """Return how many g of DEF one g of NOx (as NO2) takes: half a mol of urea for a mol, 32.5 % in DEF.

    Parameters: none. Source: 60.06/(2*46.01)/0.325, ISO 22241.

    >>> round(def_per_gram(), 2)
    2.01
    """
    return UREA_PER_NOX * M_UREA / M_NO2 / DEF_SHARE


def def_need_ml_h(ppm: float, exhaust_g_s: float, efficiency: float) -> float:
    """Return how much DEF is wanted in ml an hour to take so much of the NOx.

    Parameters: `ppm`: NOx before the catalyst; `exhaust_g_s`: exhaust mass flow in g/s; `efficiency`: share
    taken, 0 to 1. Raises ValueError for a share outside. Source: `def_per_gram`, 1.09 g/ml.

    >>> round(def_need_ml_h(300, 51.5, 0.9))
    147
    """
    if not 0 <= efficiency <= 1:
        raise ValueError("a share lies between 0 and 1")
    return nox_mass_g_s(ppm, exhaust_g_s) * 3600 * efficiency * def_per_gram() / DEF_G_PER_ML


@dataclass(frozen=True, slots=True)
class UseLimits:
    """Measured DEF use over the predicted: under-dosing below, leak or over-dosing above."""

    low: float = 0.7
    high: float = 1.3


def judge_use(measured_l: float, predicted_l: float, limits: UseLimits = UseLimits()) -> tuple[str, str]:
    """Judge DEF use from the tank over a distance against what the NOx asked for: a class and its because.

    Parameters, in litres: `measured_l`: filled in; `predicted_l`: by NOx mass and efficiency; `limits`:
    shares. Raises ValueError when nothing was predicted. Source: general, 0.7 and 1.3.

    >>> [judge_use(used, 10)[0] for used in (6, 9, 14)]
    ['under', 'right', 'over']
    """
    if predicted_l <= 0:
        raise ValueError("no use is predicted: NOx, flow and distance are wanted")
    ratio = measured_l / predicted_l
    says = f"{plain(round(ratio, 2))} of what the NOx asks for"
    if ratio < limits.low:
        return "under", f"{says}: it doses too little."
    if ratio > limits.high:
        return "over", f"{says}: a leak, over-dosing, or a sensor that lies."
    return "right", f"{says}."


@dataclass(frozen=True, slots=True)
class Rest:
    """Whether the downstream figure has stopped rising after dosing was switched off: since when in s, or
    None while it rises; the slope at the end, as a share of the upstream figure a minute."""

    since_s: float | None
    slope_a_minute: float


def settled(
    up: Signal, down: Signal, off_s: float, most_a_minute: float = 0.04, window_s: float = 60.0
) -> Rest:
    """Return when the downstream NOx stopped rising after dosing went off: ammonia that is stored goes on
    converting, so the two sensors are compared only then. The load moves both, so it is their ratio that has
    to rest.

    Parameters: `up`, `down`: NOx before and after the catalyst, ppm; `off_s`: when dosing went off, s of the
    recording; `most_a_minute`: a slope of the ratio that counts as none; `window_s`: over which it is taken.
    Source: stored ammonia empties with the exhaust; the slope is that of a straight line.

    >>> t = np.arange(0.0, 400.0, 1.0)
    >>> before = Signal(t, t * 0 + 400.0)
    >>> rest = settled(before, Signal(t, 400 - 360 * np.exp(-t / 40)), 0.0)
    >>> rest.since_s is not None and 80 < rest.since_s < 240
    True
    >>> settled(before, Signal(t, t), 0.0).since_s is None
    True
    """
    times, (before, after) = beside([up, down])
    known = np.isfinite(before) & np.isfinite(after) & (before > 1)
    times = times[known]
    ratio = after[known] / before[known]
    since = None
    slope = float("inf")
    end = off_s + window_s
    while len(times) and end <= times[-1]:
        inside = (times >= end - window_s) & (times <= end)
        if inside.sum() >= 3:
            slope = float(np.polyfit(times[inside] - end, ratio[inside], 1)[0]) * 60
            if slope > most_a_minute:
                since = None
            elif since is None:
                since = end
        end += window_s / 4
    return Rest(since, slope)


@dataclass(frozen=True, slots=True)
class Stretch:
    """Means of a stretch of a recording: NOx before and after in ppm, the share cut with its uncertainty, and
    the seconds that were usable."""

    up_ppm: float
    down_ppm: float
    cut: float
    u: float
    seconds: float


def over_stretch(
    up: Signal, down: Signal, start_s: float, end_s: float, least_ppm: float = 100.0, least_s: float = 60.0
) -> Stretch:
    """Return the share of NOx that is cut over a marked stretch, from where the level before the catalyst is
    high enough.

    Parameters: `up`, `down`: NOx before and after, ppm; `start_s`, `end_s`: the stretch, s; `least_ppm`: the
    level wanted before the catalyst; `least_s`: how long at least. Raises ValueError when too little of it is
    usable. Source: means; the uncertainty is that of two sensors of a tenth each, their offsets common to the
    stretch.

    >>> t = np.arange(0.0, 300.0)
    >>> s = over_stretch(Signal(t, t * 0 + 400.0), Signal(t, t * 0 + 60.0), 50, 250)
    >>> round(s.cut, 2), s.seconds
    (0.85, 200.0)
    """
    at, (a, b) = beside([up, down])
    inside = (at >= start_s) & (at <= end_s) & np.isfinite(a) & np.isfinite(b) & (a >= least_ppm)
    step = float(np.median(np.diff(at))) if len(at) > 1 else 0.0
    seconds = round(max(0, int(inside.sum()) - 1) * step, 1)
    if seconds < least_s:
        raise ValueError(
            f"{plain(seconds)} s of the stretch have {plain(least_ppm)} ppm or more before the catalyst;"
            f" {plain(least_s)} s are wanted"
        )
    before = float(np.mean(a[inside]))
    after = float(np.mean(b[inside]))
    return Stretch(before, after, 1 - after / before, (after / before) * float(np.hypot(0.1, 0.1)), seconds)


PLACES = ("sensor", "dosing", "fluid", "catalyst")


@dataclass(frozen=True, slots=True)
class Standing:
    """What is left of one of the four: `cleared`, `condemned`, `standing` or `open`, and why."""

    place: str
    state: str
    because: str


def left_standing(seen: Mapping[str, str]) -> tuple[Standing, ...]:
    """Return which of sensor, dosing, fluid and catalyst is left standing, by what was found.

    Parameters: `seen`: by key, those that are known: `silent` (`up`, `down`, `both`), `agree` (`agree`,
    `disagree`, with dosing off), `cut` (`good`, `weak`, `poor`, with dosing on), `dose` (`right`, `short`,
    `bad`), `pressure` (`holds`, `falls`), `fluid` (`good`, `off`, `wrong`), `oily` (`clean`, `dirty`).
    Source: dosing right, fluid good, sensors agreeing with dosing off and efficiency low is the catalyst;
    disagreeing is a sensor; dosing low is injector, pump, line or crystals.

    >>> found = left_standing({"agree": "agree", "cut": "poor", "dose": "right", "fluid": "good"})
    >>> [(s.place, s.state) for s in found]
    [('sensor', 'cleared'), ('dosing', 'cleared'), ('fluid', 'cleared'), ('catalyst', 'condemned')]
    >>> [s.state for s in left_standing({"agree": "disagree", "cut": "poor"})]
    ['condemned', 'open', 'open', 'open']
    """
    states = {"sensor": _sensor(seen), "dosing": _dosing(seen), "fluid": _fluid(seen)}
    others = [state for state, _ in states.values()]
    if seen.get("cut") == "good":
        states["catalyst"] = ("cleared", "it cuts what comes in")
    elif seen.get("cut") in ("weak", "poor") and all(s == "cleared" for s in others):
        states["catalyst"] = ("condemned", "sensors, dosing and fluid are good, and little is cut")
    elif seen.get("cut") in ("weak", "poor") and "condemned" not in others:
        states["catalyst"] = ("standing", "little is cut; it is the last to be blamed")
    else:
        states["catalyst"] = ("open", "")
    if seen.get("cut") in ("weak", "poor") and "condemned" not in others:
        states = {p: ("standing", "little is cut") if s == ("open", "") else s for p, s in states.items()}
    return tuple(Standing(p, *states[p]) for p in PLACES)


def _sensor(seen: Mapping[str, str]) -> tuple[str, str]:
    if seen.get("silent"):
        return "condemned", "silent hot and dry: its supply and network first, then itself"
    if seen.get("agree") == "disagree":
        return "condemned", "the two differ with dosing off"
    if seen.get("agree") == "agree":
        return "cleared", "the two agree with dosing off"
    if seen.get("cut") == "good":
        return "cleared", "the two differ as they should with dosing on"
    return "open", ""


def _dosing(seen: Mapping[str, str]) -> tuple[str, str]:
    if seen.get("dose") in ("short", "bad"):
        return "condemned", "too little or a bad spray: injector, line, crystals"
    if seen.get("pressure") == "falls":
        return "condemned", "pressure does not hold: pump, line, injector"
    if seen.get("dose") == "right":
        return "cleared", "the right amount in a cone"
    if seen.get("cut") == "good":
        return "cleared", "enough arrives to cut it"
    return "open", ""


def _fluid(seen: Mapping[str, str]) -> tuple[str, str]:
    if seen.get("fluid") in ("off", "wrong"):
        return "condemned", "the concentration is off"
    if seen.get("oily") == "dirty":
        return "condemned", "something that does not belong is in it"
    if seen.get("fluid") == "good":
        return "cleared", "the concentration is right"
    return "open", ""
