"""Simulated recordings of commanded drives (EGR valve, inlet flap, vanes, bypass), healthy and faulty, as a
scan tool would write them: slow, staired, noisy, with gaps, sometimes as a voltage or upside down. Every one
comes from its seed.
"""

from dataclasses import dataclass

import numpy as np

from frosty_piston.core.traces import Signal

STEP_S = 0.01
FAULTS = ("healthy", "dead_spot", "sticks", "slow", "stuck", "does_not_close", "loose")
RATES_HZ = (2.0, 5.0, 10.0, 20.0, 50.0)
RAMPS = "ramps"
SINES = "sines"
# How a drive may be commanded: in ramps, in sines, or in steps of so many percent.
WAYS = (RAMPS, SINES, "steps_5", "steps_10", "steps_25")


@dataclass(frozen=True, eq=False)
class DriveRecording:
    """A recording of one drive: command in percent, actual in percent or volt, and what is wrong with it."""

    command: Signal
    actual: Signal
    fault: str
    drive: str
    percent: bool
    dead_spot: tuple[float, float] | None = None


def drive_recording(seed: int, fault: str, drive: str = "motor", way: str = RAMPS) -> DriveRecording:
    """Make one recording of a drive, commanded one of the `WAYS`. Raises ValueError for a fault that is not
    one of `FAULTS`, and for another way."""
    if fault not in FAULTS:
        raise ValueError(f"fault must be one of {', '.join(FAULTS)}")
    if way not in WAYS:
        raise ValueError(f"way must be one of {', '.join(WAYS)}")
    entropy = [seed, FAULTS.index(fault), drive == "vacuum"]
    rng = np.random.default_rng(entropy + ([WAYS.index(way)] if way != RAMPS else []))
    if way == RAMPS:
        command = _command(rng)
    elif way == SINES:
        command = _sines(rng)
    else:
        command = _steps(rng, way, drive)
    spot = None
    if fault == "dead_spot":
        low = float(rng.uniform(20, 60))
        spot = (low, low + float(rng.uniform(9, 20)))
    position = _position(rng, command, fault, drive, spot)
    return _written(rng, command, position, fault, drive, spot)


def _command(rng: np.random.Generator) -> np.ndarray:
    """Two slow sweeps to the end and back, then three steps with rests between."""

    def ramp(start: float, end: float, seconds: float) -> np.ndarray:
        return np.linspace(start, end, int(seconds / STEP_S))

    sweep = float(rng.uniform(20, 35))
    rest = float(rng.uniform(3, 5))
    parts = [ramp(0, 0, rest)]
    for _ in range(2):
        parts += [ramp(0, 100, sweep), ramp(100, 100, rest), ramp(100, 0, sweep), ramp(0, 0, rest)]
    for level in (rng.uniform(50, 80), rng.uniform(15, 35), 0.0):
        parts.append(ramp(level, level, rest + 2))
    return np.concatenate(parts)


def _steps(rng: np.random.Generator, way: str, drive: str) -> np.ndarray:
    """Up and down in even steps, once or twice, each held until somebody has looked."""
    height = float(way.rpartition("_")[2])
    held = float(rng.uniform(1.6, 3.0) if drive == "motor" else rng.uniform(3.0, 5.0))
    rest = float(rng.uniform(2, 4))
    up = np.arange(0, 100 + height / 2, height)
    levels = np.concatenate([up, up[-2::-1]] * int(rng.integers(1, 3)))
    parts = [np.zeros(int(rest / STEP_S))]
    parts += [np.full(int(held / STEP_S), level) for level in levels]
    return np.concatenate([*parts, np.zeros(int(rest / STEP_S))])


def _sines(rng: np.random.Generator) -> np.ndarray:
    """Slow waves between the ends, then three steps with rests between."""
    period = float(rng.uniform(30, 60))
    t = np.arange(0, 2.5 * period, STEP_S)
    rest = np.zeros(int(4 / STEP_S))
    wave = 50 - 50 * np.cos(2 * np.pi * t / period)
    steps = [np.full(int(6 / STEP_S), level) for level in (70.0, 25.0, 0.0)]
    return np.concatenate([rest, wave, *steps])


def _position(
    rng: np.random.Generator, command: np.ndarray, fault: str, drive: str, spot: tuple[float, float] | None
) -> np.ndarray:
    slow = fault == "slow"
    tau = (
        float(rng.uniform(0.7, 1.6) if slow else rng.uniform(0.04, 0.16))
        if drive == "motor"
        else float(rng.uniform(2.0, 4.0) if slow else rng.uniform(0.25, 0.7))
    )
    slack = float(rng.uniform(0.2, 1.5))
    low = float(rng.uniform(9, 22)) if fault == "does_not_close" else 0.0
    stick = float(rng.uniform(5, 9)) if fault == "sticks" else 0.0
    share = STEP_S / tau
    position = max(low, float(command[0]))
    target = float(command[0])
    moving = False
    offset = float(rng.uniform(-0.8, 0.8))
    gain = float(rng.uniform(0.99, 1.01))
    if fault == "stuck":
        return np.full(len(command), float(rng.uniform(5, 90)))
    breakaway = stick
    found = np.empty(len(command))
    for index, c in enumerate(command):
        want = (
            min(target + slack, max(target - slack, c))
            if abs(c - target) <= slack
            else c - slack * np.sign(c - target)
        )
        target = want
        if spot and spot[0] < want < spot[1]:
            if position <= spot[0] + 1:
                want = spot[0]
            elif position >= spot[1] - 1:
                want = spot[1]
            else:
                want = position
        if stick:
            if not moving and abs(want - position) > breakaway:
                moving = True
                breakaway = stick * float(rng.uniform(0.7, 1.3))
            elif moving and abs(want - position) < 1.8:
                moving = False
            if not moving:
                want = position
        position += (want - position) * (min(1.0, share * 3) if stick else share)
        position = max(position, low)
        found[index] = position
    if fault == "loose":
        still = np.flatnonzero(np.abs(np.gradient(command)) < 1e-9)
        found[still] += _shaking(rng, len(found))[still]
    return offset * (fault != "does_not_close") + gain * found


def _shaking(rng: np.random.Generator, count: int) -> np.ndarray:
    """Jumps of a loose lever, a few a second."""
    holds = rng.integers(20, 80, count // 20)
    levels = rng.choice([-1.0, 1.0], len(holds)) * rng.uniform(6, 12, len(holds))
    return np.repeat(levels, holds)[:count]


def _written(
    rng: np.random.Generator,
    command: np.ndarray,
    position: np.ndarray,
    fault: str,
    drive: str,
    spot: tuple[float, float] | None,
) -> DriveRecording:
    """What the tool writes down of it."""
    rate = float(rng.choice(RATES_HZ))
    end = (len(command) - 1) * STEP_S
    at = np.arange(0, end, 1 / rate)
    at = np.sort(np.clip(at + rng.normal(0, 0.03 / rate, len(at)), 0, end))
    place = (at / STEP_S).astype(int)
    actual = position[place] + rng.normal(0, rng.uniform(0.05, 0.4), len(at))
    if rng.random() < 0.3:
        refresh = float(rng.choice([0.1, 0.2, 0.5]))
        source = np.maximum(np.searchsorted(at, np.floor(at / refresh) * refresh), 0)
        actual = actual[np.minimum(source, len(at) - 1)]
    percent = rng.random() > 0.15
    if not percent:
        actual = 0.5 + actual * 0.04 if rng.random() < 0.5 else 4.5 - actual * 0.04
    elif rng.random() < 0.1:
        actual = 100 - actual
    actual = np.round(actual / (0.4 if percent else 0.02)) * (0.4 if percent else 0.02)
    kept = np.ones(len(at), bool)
    if rng.random() < 0.25:
        gone = float(rng.uniform(0, end - 3))
        kept &= ~((at > gone) & (at < gone + rng.uniform(0.5, 2.0)))
    return DriveRecording(
        Signal(at[kept], np.round(command[place][kept], 1)),
        Signal(at[kept], actual[kept]),
        fault,
        drive=drive,
        percent=percent,
        dead_spot=spot,
    )
