"""A simulated vacuum circuit: volumes, conductances, one-way valves, a pump and leaks, steady and in time.
Vacuum is in kPa below ambient, conductance in ml/s, volume in ml."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from frosty_piston.core.circuit import Circuit, PartKind, outward

HOSE_ML_S = 2500.0
OPEN_ML_S = 5000.0
CHOKED = 0.47
SMALLEST_ML = 2.0
STEP_S = 0.25
MOST_TURNS = 60


@dataclass
class Plumbing:
    """A circuit with what drives it and what is wrong with it. `leaks`: conductance of the hole at a part or
    a hose, ml/s; `blocked`: hoses that are clamped; `stuck`: one-way valves that pass nothing."""

    circuit: Circuit
    kinds: Mapping[str, PartKind]
    ambient_kpa: float = 101.3
    pump_ml_s: float = 60.0
    pump_share: float = 0.93
    leaks: dict[str, float] = field(default_factory=dict)
    blocked: frozenset[str] = frozenset()
    stuck: frozenset[str] = frozenset()

    def __post_init__(self) -> None:
        self.parts = [p.id for p in self.circuit.parts]
        self.number = {p: n for n, p in enumerate(self.parts)}
        self.kind = {p.id: self.kinds[p.kind] for p in self.circuit.parts}
        self.runs = outward(self.circuit, self.kinds).runs
        self.volumes = np.array([max(self.kind[p].volume_ml, SMALLEST_ML) for p in self.parts])
        self.holes = np.array([self.leaks.get(p, 0.0) for p in self.parts])
        for run in self.runs:
            far = self.number[run.far[0]]
            near = self.number[run.near[0]]
            at = near if run.hose.id in self.blocked else far
            self.volumes[at] += run.hose.volume_ml
            self.holes[at] += self.leaks.get(run.hose.id, 0.0)

    def _links(self) -> Iterable[tuple[int, int, float, bool]]:
        """Near and far part of every open hose, its conductance, and whether a one-way valve lets vacuum
        through outward only."""
        for run in self.runs:
            if run.hose.id in self.blocked:
                continue
            near = run.near[0]
            far = run.far[0]
            if far in self.stuck or near in self.stuck:
                continue
            length = run.hose.length_mm or 500.0
            bore = run.hose.bore_mm or 3.5
            g = HOSE_ML_S * (bore / 3.5) ** 4 * (500.0 / length)
            yield self.number[near], self.number[far], min(g, OPEN_ML_S), self.kind[near].one_way

    def _system(
        self, vacuum: NDArray[np.float64], pumped: dict[int, tuple[float, float]], held: NDArray[np.float64]
    ) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """What flows at a vacuum, as a matrix and a vector. `pumped`: conductance and limit of a pump at a
        part; `held`: what the volumes hold on to, ml/s."""
        size = len(self.parts)
        a = np.zeros((size, size))
        b = np.zeros(size)
        for near, far, g, one_way in self._links():
            if one_way and vacuum[far] > vacuum[near] + 1e-9:
                continue
            a[near, near] += g
            a[far, far] += g
            a[near, far] -= g
            a[far, near] -= g
        most = CHOKED * self.ambient_kpa
        choked = vacuum > most
        a[np.diag_indices(size)] += np.where(choked, 0.0, self.holes) + held + 1e-9
        b -= np.where(choked, self.holes * most, 0.0)
        for n, (g, limit) in pumped.items():
            a[n, n] += g
            b[n] += g * limit
        return a, b

    def _settled(
        self, start: NDArray[np.float64], pumped: dict[int, tuple[float, float]], held: NDArray[np.float64]
    ) -> NDArray[np.float64]:
        """The vacuum at which what flows balances: valves and choked holes are looked at again until none
        turns."""
        vacuum = start.copy()
        for _ in range(MOST_TURNS):
            a, b = self._system(vacuum, pumped, held)
            found: NDArray[np.float64] = np.linalg.solve(a, b + held * start).astype(np.float64)
            if np.allclose(found, vacuum, atol=1e-7):
                break
            vacuum = found
        return np.asarray(np.maximum(vacuum, 0.0), dtype=np.float64)

    def _sources(self) -> dict[int, tuple[float, float]]:
        limit = self.pump_share * self.ambient_kpa
        return {n: (self.pump_ml_s, limit) for p, n in self.number.items() if self.kind[p].gives}

    def running(self) -> dict[str, float]:
        """What a gauge shows at every part with the engine idling, once it has settled.

        >>> kinds = {
        ...     "pump": PartKind("Pump", outward=("out",), gives=True),
        ...     "can": PartKind("Can", toward=("in",), volume_ml=50),
        ... }
        >>> from frosty_piston.core.circuit import Hose, Part
        >>> two = Circuit(
        ...     (Part("p", "pump", "Pump"), Part("c", "can", "Can")), (Hose("h", ("p", "out"), ("c", "in")),)
        ... )
        >>> round(Plumbing(two, kinds).running()["c"], 1)
        94.2
        """
        nothing = np.zeros(len(self.parts))
        settled = self._settled(nothing, self._sources(), nothing)
        return dict(zip(self.parts, settled.tolist(), strict=True))

    def in_time(
        self, start: Mapping[str, float], seconds: float, step_s: float = STEP_S, idling: bool = False
    ) -> list[tuple[float, dict[str, float]]]:
        """The vacuum at every part over a time, from a start; the pump turns only when it is `idling`."""
        vacuum = np.array([start.get(p, 0.0) for p in self.parts])
        shown = [(0.0, dict(zip(self.parts, vacuum.tolist(), strict=True)))]
        t = 0.0
        pumped = self._sources() if idling else {}
        while t < seconds - 1e-9:
            step = min(step_s, seconds - t)
            vacuum = self._settled(vacuum, pumped, self.volumes / step)
            t += step
            shown.append((t, dict(zip(self.parts, vacuum.tolist(), strict=True))))
        return shown

    def hand_pump(
        self, run: int, level_kpa: float, seconds: float, hand_ml_s: float = 400.0
    ) -> tuple[float, float]:
        """A hold test with the hand pump on a hose taken off at its nearer end: what it reaches of a level,
        and what is left after a time. It sees everything that hangs on that hose."""
        apart = Plumbing(
            self.circuit,
            self.kinds,
            self.ambient_kpa,
            leaks=self.leaks,
            blocked=self.blocked | {self.runs[run].hose.id},
            stuck=self.stuck,
        )
        at = self.number[self.runs[run].far[0]]
        apart.volumes[at] += self.runs[run].hose.volume_ml
        apart.holes[at] += self.leaks.get(self.runs[run].hose.id, 0.0)
        nothing = np.zeros(len(self.parts))
        reached = apart._settled(nothing, {at: (hand_ml_s, level_kpa)}, nothing)
        start = dict(zip(self.parts, reached.tolist(), strict=True))
        end = apart.in_time(start, seconds)[-1][1]
        return start[self.parts[at]], end[self.parts[at]]
