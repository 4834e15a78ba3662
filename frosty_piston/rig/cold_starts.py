"""Cold starts of simulated engines, stroke by stroke: what the estimate of a start is held against.

Nothing of the estimate stands in it: fuel fires after an ignition delay, each fire warms its cylinder and
speeds the engine up, and cold oil holds it back."""

from dataclasses import dataclass, field

import numpy as np

from frosty_piston.core.quantity import kelvin
from frosty_piston.core.starting import COUGHED, STARTED, WOULD_NOT

CRANKED_S = 6.0
RUNS_RPM = 550.0
ACTIVATION_K = 4650.0  # of the ignition delay
DELAY_POWER = -1.02  # of pressure
WINDOW_DEG = 26.0  # of crank in which fuel must have fired
SCATTER = 0.14  # of the delay from one stroke to the next
FIRE_WARMS_K = 9.0
STROKE_WARMS_K = 0.25
MOST_WARMED_K = 60.0
MOST_HEAT = 1.3
STIFF = 0.56  # share of strokes that must fire to go on, at 20 C
STIFF_PER_K = 0.003
SPEEDS_UP_RPM = 240.0
PLUG_K = {"direct": 150.0, "prechamber": 245.0}
DELAY_S = {"direct": 4.0e-4, "prechamber": 1.1e-3}
RATIO = {"direct": 17.0, "prechamber": 21.5}


@dataclass(frozen=True, slots=True)
class ColdEngine:
    """An engine that stands outside: its cylinders with their own compression (share of the usual) and delay
    (times the usual), how stiff it is, and what a starter turns it at."""

    combustion: str
    ratio: float
    compression: tuple[float, ...]
    delay: tuple[float, ...]
    friction: float
    crank_rpm: float

    @property
    def cylinders(self) -> int:
        return len(self.compression)


def drawn_engine(rng: np.random.Generator) -> ColdEngine:
    """An engine of no make at all: 3 to 8 cylinders, worn as engines are."""
    combustion = "direct" if rng.random() < 0.7 else "prechamber"
    cylinders = int(rng.choice([3, 4, 4, 4, 5, 6, 6, 8]))
    worn = rng.normal(0.0, 0.03)
    fuel = rng.normal(0.0, 0.14)  # cetane, timing, nozzle: of the whole engine
    return ColdEngine(
        combustion,
        RATIO[combustion] * (1 + rng.normal(0.0, 0.03)),
        tuple(np.clip(1 + worn + rng.normal(0, 0.025, cylinders), 0.75, 1.1).tolist()),
        tuple(np.exp(fuel + rng.normal(0, 0.08, cylinders)).tolist()),
        float(np.exp(rng.normal(0.0, 0.15))),
        float(rng.normal(200.0, 15.0)),
    )


def drawn_heat(cylinders: int, rng: np.random.Generator) -> tuple[float, ...]:
    """The heat of the plugs of an engine: all sound, some dead or tired, or all of them."""
    bad = rng.random(cylinders) < rng.choice([0.0, 0.2, 0.5, 1.0])
    return tuple(np.where(bad, rng.choice([0.0, 0.0, 0.07, 0.4], cylinders), 1.0).tolist())


@dataclass(slots=True)
class _Turning:
    """An engine while it is turned: its speed, what its fires have warmed, how its last strokes went."""

    engine: ColdEngine
    rpm: float
    warmed_k: np.ndarray
    last: list[bool] = field(default_factory=list)

    def fires(self, c: int, ambient_c: float, heat: float, rng: np.random.Generator) -> bool:
        """Whether the fuel of a stroke burns within its window."""
        engine = self.engine
        exponent = 1.36 - 18.0 / max(self.rpm, 80.0)
        squeezed = engine.ratio * engine.compression[c] ** 1.25
        hot_k = (kelvin(ambient_c) + self.warmed_k[c]) * squeezed ** (exponent - 1)
        hot_k += PLUG_K[engine.combustion] * min(heat, MOST_HEAT)
        delay_s = DELAY_S[engine.combustion] * engine.delay[c] * np.exp(ACTIVATION_K / hot_k)
        delay_s *= squeezed ** (exponent * DELAY_POWER) * np.exp(rng.normal(0.0, SCATTER))
        return bool(delay_s < WINDOW_DEG / (6.0 * self.rpm))

    def goes_on(self, c: int, fired: bool, drag: float) -> None:
        """A fire warms its cylinder; enough of them speed the engine up, too few leave it to the starter."""
        n = self.engine.cylinders
        self.warmed_k[c] = min(MOST_WARMED_K, self.warmed_k[c] + (FIRE_WARMS_K if fired else STROKE_WARMS_K))
        self.last = [*self.last, fired][-2 * n :]
        share = sum(self.last) / max(len(self.last), n)
        if share > drag:
            self.rpm += (share - drag) * SPEEDS_UP_RPM / n
        else:
            self.rpm += (self.engine.crank_rpm - self.rpm) * 0.3


def cold_start(
    engine: ColdEngine, ambient_c: float, heat: tuple[float, ...], rng: np.random.Generator
) -> str:
    """Crank an engine once: it started, it coughed, or it would not."""
    n = engine.cylinders
    turning = _Turning(engine, engine.crank_rpm, np.zeros(n))
    drag = engine.friction * (STIFF + STIFF_PER_K * max(0.0, 20.0 - ambient_c))
    seconds = 0.0
    stroke = 0
    fires = 0
    while seconds < CRANKED_S:
        c = stroke % n
        stroke += 1
        seconds += 120.0 / (turning.rpm * n)
        fired = turning.fires(c, ambient_c, heat[c], rng)
        fires += fired
        turning.goes_on(c, fired, drag)
        if turning.rpm >= RUNS_RPM:
            return STARTED
    return COUGHED if fires >= n else WOULD_NOT
