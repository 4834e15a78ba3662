"""Electrical stand-ins with physics of their own: injector sets over temperature, a contact that drops out in
time, a network pair as a net of resistors. Nothing here knows a limit or a chance of the knowledge."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

Rng = np.random.Generator
COPPER_PER_K = 0.00393
ROOM_C = 20.0
COIL_OHM = {"rail_solenoid": 0.42, "hydraulic_unit": 3.0, "unit_injector": 1.2, "rail_piezo": 190_000.0}
BODY_MOHM = 400.0
HALVES_PER_K = 10.0
TERMINATOR_OHM = 120.0
TRANSCEIVER_OHM = 30_000.0
WIRE_OHM_M = 0.04
OPEN_OHM = 1e9


@dataclass
class InjectorSet:
    """The injectors of one engine: resistance at 20 °C in ohm and insulation in Mohm of each. `opens_at_c`:
    those whose coil opens above a temperature; `leaks`: those whose insulation is down to a share."""

    kind: str
    ohm: list[float]
    insulation_mohm: list[float]
    opens_at_c: dict[int, float] = field(default_factory=dict)
    leaks: dict[int, float] = field(default_factory=dict)

    def resistance_ohm(self, cylinder: int, celsius: float) -> float:
        """What lies between its two pins; infinite where it is open. A coil is copper, a stack's resistor
        hardly changes."""
        if celsius >= self.opens_at_c.get(cylinder, math.inf):
            return math.inf
        rise = 0.0 if self.kind == "rail_piezo" else COPPER_PER_K * (celsius - ROOM_C)
        return self.ohm[cylinder - 1] * (1 + rise)

    def body_mohm(self, cylinder: int, celsius: float) -> float:
        """What lies between a pin and the body: insulation halves every ten degrees."""
        share = self.leaks.get(cylinder, 1.0)
        return self.insulation_mohm[cylinder - 1] * share * 2 ** (-(celsius - ROOM_C) / HALVES_PER_K)


def injector_set(kind: str, cylinders: int, rng: Rng) -> InjectorSet:
    """A sound set of some age: parts of one make differ by two percent."""
    nominal = COIL_OHM.get(kind, 0.42)
    return InjectorSet(
        kind,
        [float(nominal * rng.normal(1.0, 0.02)) for _ in range(cylinders)],
        [float(BODY_MOHM * rng.lognormal(0, 0.4)) for _ in range(cylinders)],
    )


@dataclass
class Contact:
    """A contact that drops out: a rate at rest and one under the hand, both per second. Opened, it is wiped
    clean and goes back to what it was over some distance."""

    rest_per_s: float = 0.006
    wiggled_per_s: float = 0.12
    wiped_share: float = 0.95
    back_after_km: float = 60.0
    since_opened_km: float = math.inf

    def opened(self) -> None:
        self.since_opened_km = 0.0

    def driven(self, km: float) -> None:
        self.since_opened_km += km

    @property
    def fretted(self) -> float:
        """How much of its fault shows now, 0 to 1."""
        if math.isinf(self.since_opened_km):
            return 1.0
        return 1.0 - self.wiped_share * math.exp(-self.since_opened_km / self.back_after_km)

    def dropouts(self, seconds: float, wiggled: bool, rng: Rng) -> list[float]:
        """The moments of its dropouts in a stretch of time, in s from its start."""
        rate = self.fretted * (self.wiggled_per_s if wiggled else self.rest_per_s)
        moments = []
        at = 0.0
        while rate > 0:
            at += float(rng.exponential(1 / rate))
            if at > seconds:
                break
            moments.append(round(at, 2))
        return moments


SOUND_CONTACT = Contact(rest_per_s=0.0003, wiggled_per_s=0.0003)


@dataclass
class Module:
    """One module on the pair: how far along it is plugged in, m, and whether it holds a terminator.
    `across_ohm`: what a fault inside lays across the pair."""

    name: str
    at_m: float
    terminates: bool = False
    across_ohm: float = OPEN_OHM
    plugged: bool = True

    @property
    def load_ohm(self) -> float:
        loads = [TRANSCEIVER_OHM, self.across_ohm] + ([TERMINATOR_OHM] if self.terminates else [])
        return 1 / sum(1 / r for r in loads)


@dataclass
class NetworkPair:
    """Two wires with modules along them, battery off. `joint_ohm`: what a bad joint adds to one wire behind
    a place, m."""

    modules: list[Module]
    joint_at_m: float = -1.0
    joint_ohm: float = 0.0

    def without(self, name: str) -> "NetworkPair":
        """The same pair with one module unplugged."""
        rest = [
            Module(
                module.name,
                module.at_m,
                module.terminates,
                module.across_ohm,
                module.plugged and module.name != name,
            )
            for module in self.modules
        ]
        return NetworkPair(rest, self.joint_at_m, self.joint_ohm)

    def across_ohm(self, at: str) -> float:
        """What a meter shows across the pair at the plug of a module: the net solved by its nodes, 1 A in at
        the high wire and out at the low one."""
        order = sorted(self.modules, key=lambda m: m.at_m)
        n = len(order)
        net = np.zeros((2 * n, 2 * n))

        def joined(a: int, b: int, ohm: float) -> None:
            conductance = 1 / max(ohm, 1e-6)
            net[a, a] += conductance
            net[b, b] += conductance
            net[a, b] -= conductance
            net[b, a] -= conductance

        for i, m in enumerate(order):
            joined(i, n + i, m.load_ohm if m.plugged else OPEN_OHM)
            if i:
                wire = WIRE_OHM_M * (m.at_m - order[i - 1].at_m)
                bad = order[i - 1].at_m <= self.joint_at_m < m.at_m
                joined(i - 1, i, wire + (self.joint_ohm if bad else 0.0))
                joined(n + i - 1, n + i, wire)
        here = next(i for i, m in enumerate(order) if m.name == at)
        current = np.zeros(2 * n)
        current[here] = 1.0
        current[n + here] = -1.0
        volts = np.linalg.lstsq(net, current, rcond=None)[0]
        return float(volts[here] - volts[n + here])


def network_pair(names: Sequence[str]) -> NetworkPair:
    """A sound pair: modules two metres apart, a terminator at each end."""
    ends = {0, len(names) - 1}
    return NetworkPair([Module(name, 2.0 * i, i in ends) for i, name in enumerate(names)])
