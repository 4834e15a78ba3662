"""Cold-start margin: an estimate of whether it will start tonight, and said to be one."""

from collections.abc import Mapping
from dataclasses import dataclass
from math import ceil

import numpy as np
import numpy.typing as npt

from .limits import Limit

DIRECT = "direct"


@dataclass(frozen=True, slots=True)
class Combustion:
    """How a kind of combustion starts: usual compression ratio, temperature in K at which it fires, what a
    healthy glow plug lifts the air at the end of compression by, K."""

    ratio: Limit
    fires_k: Limit
    glow_lift_k: Limit


@dataclass(frozen=True, slots=True, eq=False)
class StartLimits:
    """The figures of the cold start: cranking speed of a healthy engine, spread of firing in K, what a block
    heater lifts the intake air by in K, the share of cylinders that must fire, the speed at which it carries
    itself and its spread per minute, and each combustion."""

    crank_rpm: Limit
    spread_k: Limit
    block_heater_k: Limit
    firing_share: Limit
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
    return np.asarray((np.asarray(intake_c, float) + 273.15) * ratio ** (exponent - 1))


def start_chance(
    ambient_c: npt.ArrayLike,
    engine: StartEngine,
    plug_heat: list[float],
    limits: StartLimits,
    crank_rpm: float | None = None,
    block_heater_k: float = 0.0,
) -> np.ndarray:
    """Return the chance that the engine runs up by itself within a normal crank. An estimate.

    Parameters: `ambient_c`: air outside in °C; `engine`: the engine; `plug_heat`: heat of each plug as a
    share, one per cylinder; `limits`: the limits of the area; `crank_rpm`: cranking speed per minute, the
    usual one when None; `block_heater_k`: what a block heater lifts the intake air by, K. Returns chances in
    the shape of `ambient_c`. Raises ValueError when the plug figures are not one per cylinder.

    A cylinder fires with ``logistic((T2 + dT - T_fire)/6 K)``, dT the plug's lift. The engine runs up when at
    least three quarters of its cylinders fire early, times ``logistic((rpm - 125)/12)`` for carrying itself.

    Calibration (general, at 200 per minute and ratio 17 direct, 21.5 prechamber): near 0 C an 8-cylinder
    direct engine tolerates a quarter of its plugs dead and no more; a prechamber engine without any plug does
    not start below about 15 C; a direct one without plugs starts from about 10 C up, and not at 0 C; 100 per
    minute starts nothing. T_fire 596 K direct, 650 K prechamber; lift 160 K and 250 K.

    >>> from frosty_piston.knowledge.figures import general
    >>> v8, limits = StartEngine(8), general(StartLimits)
    >>> two, three = [1.0] * 6 + [0.0] * 2, [1.0] * 5 + [0.0] * 3
    >>> bool(start_chance(0, v8, two, limits) > 0.9), bool(start_chance(0, v8, three, limits) < 0.5)
    (True, True)
    >>> bool(start_chance(20, v8, [1.0] * 8, limits, crank_rpm=100) < 0.15)
    True
    """
    if len(plug_heat) != engine.cylinders:
        raise ValueError(
            f"{engine.cylinders} cylinders need {engine.cylinders} plug figures, not {len(plug_heat)}"
        )
    ambient = np.asarray(ambient_c, float)
    fuel = limits.combustion[engine.combustion]
    rpm = limits.crank_rpm if crank_rpm is None else crank_rpm
    t2 = compression_end_k(ambient + block_heater_k, engine.compression_ratio or fuel.ratio, rpm)
    lift = fuel.glow_lift_k * np.clip(np.asarray(plug_heat, float), 0.0, 1.3)
    margin = (t2[..., None] + lift - fuel.fires_k) / limits.spread_k
    fires = 1 / (1 + np.exp(-np.clip(margin, -60, 60)))
    needed = ceil(limits.firing_share * engine.cylinders)
    counts = np.zeros((*ambient.shape, engine.cylinders + 1))
    counts[..., 0] = 1.0
    for c in range(engine.cylinders):
        p = fires[..., c][..., None]
        counts[..., 1:] = counts[..., 1:] * (1 - p) + counts[..., :-1] * p
        counts[..., 0] *= 1 - p[..., 0]
    carries = 1 / (1 + np.exp(-(rpm - limits.carries_rpm) / limits.carries_spread_rpm))
    return np.asarray(counts[..., needed:].sum(axis=-1) * carries)


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
