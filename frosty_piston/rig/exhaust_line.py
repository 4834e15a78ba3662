"""A simulated exhaust line with its own physics: flow, soot and ash in the filter, its pressure hoses, NOx
before and after a catalyst that stores ammonia, dosing, fluid, sensors that drift or fall silent, a latch."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from .testing import graded

Rng = np.random.Generator
R_AIR = 287.0
AIR_KPA = 101.3
STROKES = 2.0
SECONDS = 900.0
STEP_S = 1.0
FAULTS = ("sensor", "dosing", "fluid", "catalyst", "soot", "ash", "hose")


@dataclass
class ExhaustLine:
    """One vehicle's exhaust as it is. Shares are of what is right; `hose`: `sound`, `blocked`, `split`,
    `swapped`; `stores_s`: how long stored ammonia goes on converting."""

    cylinders: int = 4
    a: float = 0.004
    b: float = 6.0e-5
    soot_g: float = 6.0
    ash_g: float = 15.0
    hose: str = "sound"
    catalyst: float = 0.93
    dose: float = 1.0
    urea: float = 32.5
    up_gain: float = 1.0
    down_gain: float = 1.0
    silent: str = ""
    stores_s: float = 60.0
    latched: bool = False
    starts_left: int | None = None

    def drop_kpa(self, flow: np.ndarray | float) -> np.ndarray | float:
        """The pressure drop over the filter, kPa, at flows in m3/h: what soot and ash close of it is lost to
        both terms."""
        closed = 1 + 0.09 * self.soot_g + 0.035 * self.ash_g
        return (self.a * flow + self.b * flow**2) * closed / (1 + 0.09 * 2 + 0.035 * 8)

    def cut(self) -> float:
        """The share of NOx that is taken while it doses."""
        return self.catalyst * min(1.0, self.dose * self.urea / 32.5)

    def started(self) -> bool:
        """Turn the key: whether it starts, a start taken of the countdown."""
        if self.starts_left is None:
            return True
        if self.starts_left == 0:
            return False
        self.starts_left -= 1
        return True

    def reset(self, quality_told: bool) -> None:
        """Reset the inhibit: it stays latched where the cause is not cured, or the order was wrong."""
        if quality_told and self.cut() > 0.7 and not self.silent:
            self.latched = False
            self.starts_left = None


def healthy(rng: Rng) -> ExhaustLine:
    """A line without a fault, spread as vehicles are."""
    return ExhaustLine(
        a=float(rng.uniform(0.003, 0.005)),
        b=float(rng.uniform(5e-5, 7e-5)),
        soot_g=float(rng.uniform(2, 9)),
        ash_g=float(rng.uniform(5, 25)),
        catalyst=float(rng.uniform(0.88, 0.97)),
        dose=float(rng.uniform(0.97, 1.03)),
        urea=float(rng.normal(32.5, 0.15)),
        up_gain=float(rng.normal(1, 0.02)),
        down_gain=float(rng.normal(1, 0.02)),
        stores_s=float(rng.uniform(30, 90)),
    )


def broken(fault: str, rng: Rng) -> ExhaustLine:
    """A line with one fault, from slight to gross."""
    line = healthy(rng)
    severity = float(rng.uniform(0, 1))
    if fault == "sensor":
        if rng.random() < 0.25:
            line.silent = str(rng.choice(["up", "down"]))
        else:
            off = (0.26 + 0.4 * severity) * (1 if rng.random() < 0.5 else -1)
            line.up_gain *= 1 - off if rng.random() < 0.5 else 1
            line.down_gain *= 1 + off if line.up_gain > 0.9 and line.up_gain < 1.1 else 1
    elif fault == "dosing":
        line.dose = 0.82 - 0.7 * severity
    elif fault == "fluid":
        line.urea = 31.0 - 12 * severity
    elif fault == "catalyst":
        line.catalyst = 0.72 - 0.5 * severity
    elif fault == "soot":
        line.soot_g = 20 + 22 * severity
    elif fault == "ash":
        line.ash_g = 66 + 60 * severity
    elif fault == "hose":
        line.hose = str(rng.choice(["blocked", "split", "swapped"]))
    return line


def recorded(line: ExhaustLine, rng: Rng) -> dict[str, list[float]]:
    """A drive of a quarter of an hour, recorded once a second: steady with dosing, then without, then a few
    pulls. Columns by channel."""
    t = np.arange(0.0, SECONDS, STEP_S)
    pulls = np.where(t > 700, 0.5 + 0.5 * np.sin((t - 700) / 6), 0.0)
    rpm = 1800 + 900 * pulls + 250 * np.sin(t / 70) + rng.normal(0, 8, len(t))
    air = 420 + 260 * pulls + 30 * np.sin(t / 45) + rng.normal(0, 4, len(t))
    hot = 270 + 60 * pulls + 15 * np.sin(t / 120) + rng.normal(0, 2, len(t))
    grams = air / 1000 * line.cylinders * rpm / 60 / STROKES
    flow = grams * 1.03 / 1000 / (AIR_KPA * 1000 / (R_AIR * (hot + 273.15))) * 3600
    drop = np.asarray(line.drop_kpa(flow), float)
    before = 2.0 + drop + 0.01 * flow
    after = 2.0 + 0.01 * flow
    second = after + (before - after) * 0.75
    dose = np.where(t < 300, 35.0, 0.0)
    nox = 380 + 60 * np.sin(t / 90) + 120 * pulls + rng.normal(0, 6, len(t))
    taken = line.cut() * np.where(t < 300, 1.0, np.exp(-(t - 300) / line.stores_s))
    return {
        "time": t.tolist(),
        "engine_speed": rpm.tolist(),
        "air_mass_stroke": air.tolist(),
        "exhaust_temp_1": hot.tolist(),
        "dpf_pressure": _by_hoses(line, drop, rng).tolist(),
        "exhaust_pressure_1": (before + rng.normal(0, 0.05, len(t))).tolist(),
        "exhaust_pressure_2": _by_second_hose(line, second, rng).tolist(),
        "def_dose": dose.tolist(),
        **_sensors(line, nox, nox * (1 - taken), rng),
    }


def _by_hoses(line: ExhaustLine, drop: np.ndarray, rng: Rng) -> np.ndarray:
    """What the differential sensor says through its hoses."""
    noise = rng.normal(0, 0.05, len(drop))
    if line.hose == "swapped":
        return -drop + noise
    if line.hose == "split":
        return 0.03 * drop + noise
    if line.hose == "blocked":
        return np.full(len(drop), float(np.mean(drop))) * 0.05 + noise
    return drop + noise


def _by_second_hose(line: ExhaustLine, pressure: np.ndarray, rng: Rng) -> np.ndarray:
    noise = rng.normal(0, 0.05, len(pressure))
    if line.hose != "blocked":
        return pressure + noise
    slow = np.empty(len(pressure))
    slow[0] = pressure[0]
    for n in range(1, len(pressure)):
        slow[n] = slow[n - 1] + (pressure[n] - slow[n - 1]) * 0.004
    return slow + noise


def _sensors(line: ExhaustLine, up: np.ndarray, down: np.ndarray, rng: Rng) -> dict[str, list[float]]:
    said = {}
    for name, values, gain in (("nox_up", up, line.up_gain), ("nox_down", down, line.down_gain)):
        if not line.silent or not name.endswith(line.silent):
            said[name] = (values * gain + rng.normal(0, 8, len(values))).tolist()
    return said


def by_hand(line: ExhaustLine, rng: Rng) -> dict[str, Any]:
    """What is read with instruments: refractometer, cup, the control unit's soot and ash."""
    return {
        "percent": round(line.urea + float(rng.normal(0, 0.15)), 1),
        "measured_ml": round(max(0.0, 100 * line.dose * (1 + float(rng.normal(0, 0.02)))), 0),
        "spray": graded(line.dose, {"cone": 0.8, "jet": 0.25}, "drips"),
        "soot_g": round(max(0.0, line.soot_g * (1 + float(rng.normal(0, 0.06)))), 0),
        "ash_g": round(max(0.0, line.ash_g * (1 + float(rng.normal(0, 0.1)))), 0),
    }
