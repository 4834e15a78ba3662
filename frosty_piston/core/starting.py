"""Cold-start margin: an estimate of whether it will start tonight, and said to be one."""

from dataclasses import dataclass
from math import ceil

import numpy as np

GENERAL_RATIO = {"direct": 17.0, "prechamber": 21.5}
GENERAL_CRANK_RPM = 200.0
FIRE_K = {"direct": 596.0, "prechamber": 650.0}
GLOW_LIFT_K = {"direct": 160.0, "prechamber": 250.0}
SPREAD_K = 6.0
BLOCK_HEATER_K = 25.0


@dataclass(frozen=True, slots=True)
class StartEngine:
    """What the estimate needs of an engine: cylinders, combustion (`direct`, `prechamber`), compression
    ratio."""

    cylinders: int
    combustion: str = "direct"
    compression_ratio: float | None = None

    @property
    def ratio(self) -> float:
        return self.compression_ratio or GENERAL_RATIO[self.combustion]


def compression_end_k(intake_c, ratio: float, crank_rpm: float):
    """Answer the air temperature at the end of compression: ``T2 = T1*CR^(n - 1)``, ``n = 1.36 - 18/rpm``.

    Parameters: intake air in C (a figure or an array), compression ratio, cranking speed per minute.
    A slow crank loses more heat and gas, so n falls with it. In kelvin.

    >>> round(float(compression_end_k(0.0, 17, 200)))
    587
    """
    exponent = max(1.0, 1.36 - 18 / max(crank_rpm, 1.0))
    return (np.asarray(intake_c, float) + 273.15) * ratio ** (exponent - 1)


def start_chance(
    ambient_c,
    engine: StartEngine,
    plug_heat: list[float],
    crank_rpm: float = GENERAL_CRANK_RPM,
    block_heater_k: float = 0.0,
):
    """Answer the chance that the engine runs up by itself within a normal crank. An estimate.

    Parameters: ambient in C (a figure or a 1-d array); the engine; the heat of each cylinder's plug as a
    share of its reference (0 dead, 1 healthy), one per cylinder; cranking speed per minute; what a block
    heater lifts the intake air by, in K. Returns chances in the shape of `ambient_c`.

    A cylinder fires with ``logistic((T2 + dT - T_fire)/6 K)``, dT the plug's lift. The engine runs up when at
    least three quarters of its cylinders fire early, times ``logistic((rpm - 125)/12)`` for carrying itself.

    Calibration (general, at 200 per minute and ratio 17 direct, 21.5 prechamber): near 0 C an 8-cylinder
    direct engine tolerates a quarter of its plugs dead and no more; a prechamber engine without any plug does
    not start below about 15 C; a direct one without plugs starts from about 10 C up, and not at 0 C; 100 per
    minute starts nothing. T_fire 596 K direct, 650 K prechamber; lift 160 K and 250 K.

    >>> v8 = StartEngine(8)
    >>> two, three = [1.0] * 6 + [0.0] * 2, [1.0] * 5 + [0.0] * 3
    >>> bool(start_chance(0, v8, two) > 0.9), bool(start_chance(0, v8, three) < 0.5)
    (True, True)
    >>> bool(start_chance(20, v8, [1.0] * 8, crank_rpm=100) < 0.15)
    True
    """
    if len(plug_heat) != engine.cylinders:
        raise ValueError(
            f"{engine.cylinders} cylinders need {engine.cylinders} plug figures, not {len(plug_heat)}"
        )
    ambient = np.asarray(ambient_c, float)
    t2 = compression_end_k(ambient + block_heater_k, engine.ratio, crank_rpm)
    lift = GLOW_LIFT_K[engine.combustion] * np.clip(np.asarray(plug_heat, float), 0.0, 1.3)
    margin = (t2[..., None] + lift - FIRE_K[engine.combustion]) / SPREAD_K
    fires = 1 / (1 + np.exp(-np.clip(margin, -60, 60)))
    needed = ceil(0.75 * engine.cylinders)
    counts = np.zeros((*ambient.shape, engine.cylinders + 1))
    counts[..., 0] = 1.0
    for c in range(engine.cylinders):
        p = fires[..., c][..., None]
        counts[..., 1:] = counts[..., 1:] * (1 - p) + counts[..., :-1] * p
        counts[..., 0] *= 1 - p[..., 0]
    carries = 1 / (1 + np.exp(-(crank_rpm - 125) / 12))
    return counts[..., needed:].sum(axis=-1) * carries


@dataclass(frozen=True, slots=True)
class MarginCurve:
    """One curve: how many plugs work, temperatures in C, chance of a start at each."""

    working: int
    ambient_c: tuple[float, ...]
    chance: tuple[float, ...]


def margin_curves(
    engine: StartEngine,
    crank_rpm: float = GENERAL_CRANK_RPM,
    low_c: float = -30.0,
    high_c: float = 25.0,
    step_c: float = 1.0,
    block_heater_k: float = 0.0,
) -> list[MarginCurve]:
    """Answer the chance of a start over temperature for each number of working plugs, most plugs first.

    >>> curves = margin_curves(StartEngine(4), low_c=-10, high_c=10, step_c=10)
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
                    ambient, engine, [1.0] * k + [0.0] * (engine.cylinders - k), crank_rpm, block_heater_k
                ).tolist()
            ),
        )
        for k in range(engine.cylinders, -1, -1)
    ]
