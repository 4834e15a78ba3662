"""Cold-start margin: an estimate of whether it will start tonight, and said to be one."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from .limits import Limit
from .quantity import kelvin

DIRECT = "direct"
STARTED = "started"
COUGHED = "coughed"
WOULD_NOT = "would_not"
MOST_HEAT = 1.3
WARM_C = 20.0
MOST_WANTED = 0.9
OFFSETS = np.linspace(-3.0, 3.0, 25)  # of one engine against others, in standard deviations


@dataclass(frozen=True, slots=True)
class Combustion:
    """How a kind of combustion starts: usual compression ratio, temperature in K at which it fires, what a
    healthy glow plug lifts the air at the end of compression by, K."""

    ratio: Limit
    fires_k: Limit
    glow_lift_k: Limit


@dataclass(frozen=True, slots=True, eq=False)
class StartLimits:
    """The figures of the cold start: cranking speed of a healthy engine; spread of firing between strokes and
    cylinders, and of one engine against another, K; what a block heater lifts the intake air by, K; the share
    of cylinders that must fire at 0 C, how much it grows for each degree of frost, and its spread; the speed
    at which it carries itself and its spread per minute; how many bad starts have another cause; each
    combustion."""

    crank_rpm: Limit
    spread_k: Limit
    engine_spread_k: Limit
    block_heater_k: Limit
    firing_share: Limit
    firing_share_per_k: Limit
    firing_spread: Limit
    other_cause: Limit
    carries_rpm: Limit
    carries_spread_rpm: Limit
    combustion: Mapping[str, Combustion]


@dataclass(frozen=True, slots=True)
class StartEngine:
    """What the estimate needs of an engine: cylinders, combustion (`direct`, `prechamber`), compression
    ratio."""

    cylinders: int
    combustion: str = DIRECT
    compression_ratio: float | None = None


def compression_end_k(intake_c: npt.ArrayLike, ratio: float, crank_rpm: float) -> np.ndarray:
    """Return the air temperature at the end of compression: ``T2 = T1*CR^(n - 1)``, ``n = 1.36 - 18/rpm``.

    Parameters: `intake_c`: intake air in °C; `ratio`: compression ratio; `crank_rpm`: cranking speed per
    minute, the usual one when None. Source: polytropic compression, calibrated as said at `start_chance`.

    >>> round(float(compression_end_k(0.0, 17, 200)))
    587
    """
    exponent = max(1.0, 1.36 - 18 / max(crank_rpm, 1.0))
    intake_k = np.vectorize(kelvin)(np.asarray(intake_c, float))
    return np.asarray(intake_k * ratio ** (exponent - 1))


@dataclass(frozen=True, slots=True)
class Start:
    """What an engine did once: the air outside in C, the heat of each plug as a share, and whether it
    `started`, `coughed` (fired, and did not run up in a normal crank), or was only said that it
    `would_not`."""

    ambient_c: float
    plug_heat: tuple[float, ...]
    result: str
    crank_rpm: float | None = None


@dataclass(frozen=True, slots=True, eq=False)
class Known:
    """What is known of one engine: how much hotter than others it must be to fire, in K, with the weight of
    each; weights sum to 1."""

    offset_k: np.ndarray
    weight: np.ndarray


def of_others(limits: StartLimits) -> Known:
    """Return what is known of an engine before it was seen to start: as different as others are.

    Parameters: `limits`: the limits of the area. Source: a normal distribution, `figures/cold_start.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> known = of_others(general(StartLimits))
    >>> round(float((known.weight * known.offset_k).sum()), 6), round(float(known.weight.sum()), 6)
    (0.0, 1.0)
    """
    weight = np.exp(-0.5 * OFFSETS**2)
    return Known(OFFSETS * limits.engine_spread_k, weight / weight.sum())


def fitted_to(starts: Sequence[Start], engine: StartEngine, limits: StartLimits) -> Known:
    """Return what is known of an engine after what it did.

    Parameters: `starts`: what it did; `engine`: the engine; `limits`: the limits of the area. Raises
    ValueError when the plug figures are not one per cylinder. Source: Bayes' rule over the offset; a bad
    start has another cause than heat so often as `other_cause` says.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits, four = general(StartLimits), StartEngine(4)
    >>> known = fitted_to([Start(8.0, (0.0,) * 4, "would_not")], four, limits)
    >>> bool(start_chance(8, four, [0.0] * 4, limits, known=known) < start_chance(8, four, [0.0] * 4, limits))
    True
    """
    known = of_others(limits)
    weight = known.weight
    for start in starts:
        fires, runs = _by_offset(
            np.asarray(start.ambient_c), engine, start.plug_heat, limits, start.crank_rpm, known.offset_k
        )
        chance = {STARTED: runs, COUGHED: np.clip(fires - runs, 0.0, 1.0), WOULD_NOT: 1 - runs}[start.result]
        weight = weight * (limits.other_cause + (1 - limits.other_cause) * chance)
    return Known(known.offset_k, weight / weight.sum())


def start_chance(
    ambient_c: npt.ArrayLike,
    engine: StartEngine,
    plug_heat: Sequence[float],
    limits: StartLimits,
    crank_rpm: float | None = None,
    block_heater_k: float = 0.0,
    known: Known | None = None,
) -> np.ndarray:
    """Return the chance that the engine runs up by itself within a normal crank. An estimate.

    Parameters: `ambient_c`: air outside in °C; `engine`: the engine; `plug_heat`: heat of each plug as a
    share, one per cylinder; `limits`: the limits of the area; `crank_rpm`: cranking speed per minute, the
    usual one when None; `block_heater_k`: what a block heater lifts the intake air by, K; `known`: what this
    engine did, None for an engine like others. Returns chances in the shape of `ambient_c`. Raises ValueError
    when the plug figures are not one per cylinder, or at absolute zero.

    A cylinder fires with ``logistic((T2 + dT - T_fire - d)/s)``, dT the plug's lift, d the offset of this
    engine from others. With n of N firing it runs up with ``logistic((n/N - q)/w)``, the share q growing in
    the cold as the oil stiffens, times ``logistic((rpm - 125)/12)`` for carrying itself. The chance is the
    mean over d.

    Calibration: most likely for 6,000 starts of simulated engines (`rig/cold_starts.py`, which knows delays,
    heat of fires and stiffness, and none of this), themselves set so that near 0 C an 8-cylinder direct
    engine tolerates a quarter of its plugs dead and seldom more; a prechamber engine without any plug seldom
    starts below about 15 C; a direct one without plugs starts from about 10 C up, and seldom at 0 C; 100 per
    minute starts nothing. General figures at 200 per minute and ratio 17 direct, 21.5 prechamber.

    >>> from frosty_piston.knowledge.figures import general
    >>> v8, limits = StartEngine(8), general(StartLimits)
    >>> two, three = [1.0] * 6 + [0.0] * 2, [1.0] * 5 + [0.0] * 3
    >>> bool(start_chance(0, v8, two, limits) > 0.75), bool(start_chance(0, v8, three, limits) < 0.75)
    (True, True)
    >>> bool(start_chance(20, v8, [1.0] * 8, limits, crank_rpm=100) < 0.15)
    True
    """
    known = known or of_others(limits)
    ambient = np.asarray(ambient_c, float)
    _, runs = _by_offset(ambient, engine, plug_heat, limits, crank_rpm, known.offset_k, block_heater_k)
    return np.asarray(runs @ known.weight)


def start_width(
    ambient_c: float,
    engine: StartEngine,
    plug_heat: Sequence[float],
    limits: StartLimits,
    crank_rpm: float | None = None,
    known: Known | None = None,
) -> tuple[float, float]:
    """Return between what the chance of a start lies for eight of ten engines like this one.

    Parameters: `ambient_c`: air outside in °C; `engine`: the engine; `plug_heat`: heat of each plug as a
    share, one per cylinder; `limits`: the limits of the area; `crank_rpm`: cranking speed per minute, the
    usual one when None; `known`: what this engine did. Raises as `start_chance` does. Source: the tenth and
    the ninetieth percentile over the offset of the engine.

    >>> from frosty_piston.knowledge.figures import general
    >>> low, high = start_width(5.0, StartEngine(4), [0.0] * 4, general(StartLimits))
    >>> low < 0.25 < high
    True
    """
    known = known or of_others(limits)
    _, runs = _by_offset(np.asarray(ambient_c, float), engine, plug_heat, limits, crank_rpm, known.offset_k)
    order = np.argsort(runs)
    reached = np.cumsum(known.weight[order])
    low, high = (float(runs[order][np.searchsorted(reached, at)]) for at in (0.1, 0.9))
    return low, high


def _by_offset(
    ambient: np.ndarray,
    engine: StartEngine,
    plug_heat: Sequence[float],
    limits: StartLimits,
    crank_rpm: float | None,
    offset_k: np.ndarray,
    block_heater_k: float = 0.0,
) -> tuple[np.ndarray, np.ndarray]:
    """The chance that any cylinder fires and that the engine runs up, for each offset, shape (*ambient,
    K)."""
    if len(plug_heat) != engine.cylinders:
        raise ValueError(
            f"{engine.cylinders} cylinders need {engine.cylinders} plug figures, not {len(plug_heat)}"
        )
    fuel = limits.combustion[engine.combustion]
    rpm = limits.crank_rpm if crank_rpm is None else crank_rpm
    end_k = compression_end_k(ambient + block_heater_k, engine.compression_ratio or fuel.ratio, rpm)
    lift_k = fuel.glow_lift_k * np.clip(np.asarray(plug_heat, float), 0.0, MOST_HEAT)
    margin_k = end_k[..., None, None] + lift_k - fuel.fires_k - offset_k[:, None]
    fires = expit(margin_k / limits.spread_k)
    counts = np.zeros((*fires.shape[:-1], engine.cylinders + 1))
    counts[..., 0] = 1.0
    for c in range(engine.cylinders):
        p = fires[..., c][..., None]
        counts[..., 1:] = counts[..., 1:] * (1 - p) + counts[..., :-1] * p
        counts[..., 0] *= 1 - p[..., 0]
    colder = limits.firing_share - limits.firing_share_per_k * np.minimum(ambient, WARM_C)
    wanted = np.asarray(np.minimum(colder, MOST_WANTED))
    share = np.arange(engine.cylinders + 1) / engine.cylinders
    catches = expit((share - wanted[..., None]) / limits.firing_spread)
    carries = expit((rpm - limits.carries_rpm) / limits.carries_spread_rpm)
    runs = (counts * catches[..., None, :]).sum(axis=-1) * carries
    return 1 - counts[..., 0], runs


def expit(log_odds: npt.ArrayLike) -> np.ndarray:
    """Return the logistic function of a figure or an array.

    Parameters: `log_odds`: of any shape. Source: its definition; beyond 60 it is 0 or 1.

    >>> float(expit(0.0)), [round(v, 3) for v in expit([-1, 100]).tolist()]
    (0.5, [0.269, 1.0])
    """
    return np.asarray(1 / (1 + np.exp(-np.clip(np.asarray(log_odds, float), -60, 60))))


@dataclass(frozen=True, slots=True)
class MarginCurve:
    """One curve: how many plugs work, temperatures in C, chance of a start at each."""

    working: int
    ambient_c: tuple[float, ...]
    chance: tuple[float, ...]


def margin_curves(
    engine: StartEngine,
    limits: StartLimits,
    crank_rpm: float | None = None,
    low_c: float = -30.0,
    high_c: float = 25.0,
    step_c: float = 1.0,
    block_heater_k: float = 0.0,
) -> list[MarginCurve]:
    """Return the chance of a start over temperature for each number of working plugs, most plugs first.

    Parameters: `engine`: the engine; `limits`: the limits of the area; `crank_rpm`: cranking speed per
    minute, the usual one when None; `low_c`: lowest temperature in °C; `high_c`: highest temperature in °C;
    `step_c`: step in °C; `block_heater_k`: what a block heater lifts the intake air by, K. Source:
    `start_chance`.

    >>> from frosty_piston.knowledge.figures import general
    >>> curves = margin_curves(StartEngine(4), general(StartLimits), low_c=-10, high_c=10, step_c=10)
    >>> [c.working for c in curves], len(curves[0].chance)
    ([4, 3, 2, 1, 0], 3)
    """
    ambient = np.arange(low_c, high_c + step_c / 2, step_c)
    return [
        MarginCurve(
            k,
            tuple(ambient.tolist()),
            tuple(
                start_chance(
                    ambient,
                    engine,
                    [1.0] * k + [0.0] * (engine.cylinders - k),
                    limits=limits,
                    crank_rpm=crank_rpm,
                    block_heater_k=block_heater_k,
                ).tolist()
            ),
        )
        for k in range(engine.cylinders, -1, -1)
    ]
