"""Simulated recordings of the air path: pulls, EGR air change, bypass flap, rev tests, two filter pressures;
from a seed."""

import numpy as np

from frosty_piston.core.air import expected_air_mg
from frosty_piston.core.traces import Signal

PULLS = ("healthy", "split_hose", "sticking_vanes", "hunting_solenoid", "dead_actuator")
EGR_AIR = ("healthy", "blocked_passage", "stuck_open")
BYPASS = ("healthy", "stuck", "broken_spring")
AIR_MASS = ("healthy", "wrong_sensor", "restricted_intake")
REVS = ("healthy", "choked_manifold")
PRESSURES = ("healthy", "blocked_hose")
FILLING = 0.85
DISPLACEMENT_L = 2.2
CYLINDERS = 4


def _rng(seed: int, names: tuple[str, ...], fault: str) -> np.random.Generator:
    if fault not in names:
        raise ValueError(f"fault must be one of {', '.join(names)}")
    return np.random.default_rng([seed, names.index(fault), len(names)])


def _written(rng: np.random.Generator, t: np.ndarray, *rows: tuple[np.ndarray, float, float]) -> list[Signal]:
    """What the tool writes of some channels, each with its noise and rounding: its own rate, sometimes stairs
    and a gap."""
    rate = float(rng.choice([2.0, 5.0, 10.0, 20.0]))
    at = np.arange(t[0], t[-1], 1 / rate)
    kept = np.ones(len(at), bool)
    if rng.random() < 0.25:
        gone = float(rng.uniform(t[0], t[-1] - 2))
        kept = ~((at > gone) & (at < gone + rng.uniform(0.5, 1.5)))
    signals = []
    for row, noise, grain in rows:
        source = np.floor(at / 0.5) * 0.5 if rng.random() < 0.2 and rate > 2 else at
        values = np.interp(source, t, row) + rng.normal(0, noise, len(at))
        signals.append(Signal(at[kept], (np.round(values / grain) * grain)[kept]))
    return signals


def _lag(want: np.ndarray, tau: float, step: float) -> np.ndarray:
    values = np.empty(len(want))
    at = float(want[0])
    for i, w in enumerate(want):
        at += (w - at) * min(1.0, step / tau)
        values[i] = at
    return values


def pull_recording(seed: int, fault: str) -> dict[str, Signal]:
    """Three pulls: boost asked and got in kPa, vanes asked and got in percent."""
    rng = _rng(seed, PULLS, fault)
    step = 0.02
    t = np.arange(0, 60, step)
    want = np.full(len(t), 99.0)
    for start in (6, 24, 42):
        want[(t >= start) & (t < start + rng.uniform(7, 10))] = 99 + rng.uniform(60, 110)
    got = _lag(want, float(rng.uniform(0.5, 1.0)), step)
    pulling = want > 110
    vane = np.where(pulling, rng.uniform(55, 75), 20.0)
    vane_got = _lag(vane, 0.15, step)
    if fault == "split_hose":
        got = 99 + (got - 99) * float(rng.uniform(0.45, 0.75))
        vane = np.where(pulling, 95.0, 20.0)
        vane_got = _lag(vane, 0.15, step)
    elif fault == "dead_actuator":
        got = 99 + (got - 99) * float(rng.uniform(0.35, 0.65))
        vane = np.where(pulling, 95.0, 20.0)
        vane_got = np.full(len(t), float(rng.uniform(15, 40)))
    elif fault == "sticking_vanes":
        late = np.zeros(len(t))
        for i in np.flatnonzero(np.diff(pulling.astype(int)) == 1):
            since = t - t[i] - 1.5
            late += (
                np.where(
                    since > 0,
                    float(rng.uniform(35, 60))
                    * np.clip(since, 0, 1)
                    * np.exp(-np.maximum(since - 2, 0) / 1.2),
                    0,
                )
                * pulling
            )
        got = got + late
        vane_got = np.maximum(vane_got, np.where(late > 10, 85.0, 0))
    elif fault == "hunting_solenoid":
        period = float(rng.uniform(1.2, 2.5))
        swing = float(rng.uniform(14, 25)) * np.sin(2 * np.pi * t / period) * pulling
        got = got + swing
        vane = vane - swing * 0.8
        vane_got = vane_got - 0.8 * np.roll(swing, int(0.4 / step))
    target, actual, command, position = _written(
        rng, t, (want, 0.0, 1.0), (got, 0.8, 1.0), (vane, 0.0, 0.4), (vane_got, 0.5, 0.4)
    )
    return {
        "manifold_pressure_target": target,
        "manifold_pressure": actual,
        "vane_command": command,
        "vane_position": position,
    }


def egr_air_recording(seed: int, fault: str) -> dict[str, Signal]:
    """A steady speed with the valve driven shut and open: air in mg per stroke, valve in percent, speed in
    rpm."""
    rng = _rng(seed, EGR_AIR, fault)
    step = 0.02
    t = np.arange(0, 48, step)
    valve = np.where((t // 8) % 2 == 1, float(rng.uniform(45, 80)), 0.0)
    full = float(rng.uniform(480, 540))
    share = float(rng.uniform(0.25, 0.5))
    took = {
        "healthy": valve / valve.max() * share,
        "blocked_passage": valve / valve.max() * float(rng.uniform(0, 0.05)),
        "stuck_open": np.full(len(t), share),
    }[fault]
    air = _lag(full * (1 - took), 0.3, step)
    speed = 1500 + 20 * np.sin(t)
    flow, position, rpm = _written(
        rng, t, (air, 4.0, 1.0), (_lag(valve, 0.12, step), 0.4, 0.4), (speed, 6.0, 1.0)
    )
    return {"air_mass_stroke": flow, "egr_position": position, "engine_speed": rpm}


def air_mass_recording(seed: int, fault: str) -> dict[str, Signal]:
    """Two light and three heavy loads, EGR shut: air in mg per stroke, manifold in kPa, intake in C, valve in
    percent."""
    rng = _rng(seed, AIR_MASS, fault)
    step = 0.02
    t = np.arange(0, 50, step)
    pressure = _lag(
        np.interp(
            t // 10, range(5), np.concatenate([rng.uniform(97, 110, 2), np.sort(rng.uniform(145, 195, 3))])
        ),
        0.5,
        step,
    )
    intake = 25 + (pressure - 98) / 4
    full = np.array(
        [
            expected_air_mg(p, DISPLACEMENT_L, CYLINDERS, c, FILLING)
            for p, c in zip(pressure, intake, strict=True)
        ]
    ) * float(rng.uniform(0.96, 1.04))
    load = np.clip((pressure - 115) / 15, 0, 1)
    air = {
        "healthy": full,
        "wrong_sensor": full * float(rng.uniform(0.6, 0.8)),
        "restricted_intake": full * (1 - float(rng.uniform(0.2, 0.35)) * load),
    }[fault]
    flow, manifold, celsius, position = _written(
        rng, t, (air, 6.0, 1.0), (pressure, 0.6, 1.0), (intake, 0.2, 1.0), (np.full(len(t), 1.0), 0.4, 0.4)
    )
    return {
        "air_mass_stroke": flow,
        "manifold_pressure": manifold,
        "intake_temp": celsius,
        "egr_position": position,
    }


def bypass_recording(seed: int, fault: str) -> dict[str, Signal]:
    """Idle and driving in turn: flap in percent open, speed in rpm."""
    rng = _rng(seed, BYPASS, fault)
    step = 0.02
    t = np.arange(0, 80, step)
    speed = _lag(np.where((t // 10) % 2 == 1, float(rng.uniform(2100, 3000)), 800.0), 0.6, step)
    wanted = np.where(speed > 1500, 95.0, 3.0)
    flap = {
        "healthy": wanted,
        "stuck": np.full(len(t), float(rng.choice([2.0, 50.0, 96.0]))),
        "broken_spring": np.where(np.cumsum(speed > 1500) > 0, 95.0, 3.0),
    }[fault]
    position, rpm = _written(rng, t, (_lag(flap, 0.3, step), 0.6, 0.4), (speed, 6.0, 1.0))
    return {"bypass_position": position, "engine_speed": rpm}


def rev_recording(seed: int, fault: str) -> dict[str, Signal]:
    """From idle to the governor: speed in rpm. A choked manifold hangs near 2 000."""
    rng = _rng(seed, REVS, fault)
    step = 0.02
    t = np.arange(0, 14, step)
    pace = np.full(len(t), float(rng.uniform(650, 850)))
    speed = np.empty(len(t))
    at = 800.0
    for i in range(len(t)):
        rate = pace[i] if t[i] > 1.5 else 0.0
        if fault == "choked_manifold" and 1900 < at < 2150:
            rate *= 0.1
        elif fault == "choked_manifold":
            rate *= 0.75
        at = min(4300.0, at + rate * step)
        speed[i] = at
    (rpm,) = _written(rng, t, (speed, 6.0, 1.0))
    return {"engine_speed": rpm}


def pressures_recording(seed: int, fault: str) -> dict[str, Signal]:
    """Two pressures that should go together, in kPa; with a blocked hose the second creeps."""
    rng = _rng(seed, PRESSURES, fault)
    step = 0.02
    t = np.arange(0, 60, step)
    first = 6 + 5 * (1 + np.sin(t / float(rng.uniform(1.5, 3)))) * (1 + 0.3 * np.sin(t / 7))
    second = _lag(first, 12.0, step) if fault == "blocked_hose" else 0.9 * _lag(first, 0.1, step)
    a, b = _written(rng, t, (first, 0.1, 0.1), (second, 0.1, 0.1))
    return {"first": a, "second": b}
