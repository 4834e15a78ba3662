"""The vacuum circuit of a job: as it stands on the tape, where a leak in it would sit, and which fault that
place stands for."""

from dataclasses import dataclass
from functools import lru_cache

from frosty_piston.core.cached import cached_property
from frosty_piston.core.circuit import Circuit, Hose, Outward, Part, outward
from frosty_piston.core.isolate import Branches, Site
from frosty_piston.core.words import inside
from frosty_piston.job import entries
from frosty_piston.job.tape.fold import Job
from frosty_piston.knowledge import Knowledge

TURBO = "turbo_actuator"
STOP = "stop_actuator"
SINKS = ("booster", "mount", STOP)


@dataclass(frozen=True)
class Leaking:
    """A circuit with the places that can leak, from the pump outward: `ids` of the hose or part of each.
    `faults`: what each stands for; `volumes`: what each holds, ml; `valves`, `stores`, `solenoids`: the
    places that are one-way valves, that store, and that are shut without power."""

    circuit: Circuit
    outward: Outward
    branches: Branches
    ids: tuple[str, ...]
    faults: tuple[tuple[str, ...], ...]
    volumes: tuple[float, ...]
    valves: frozenset[int]
    stores: frozenset[int]
    solenoids: frozenset[int]

    def mask(self, ids: set[str]) -> int:
        """Some places as bits."""
        return sum(1 << n for n, i in enumerate(self.ids) if i in ids)

    @cached_property
    def place(self) -> dict[str, int]:
        return {i: n for n, i in enumerate(self.ids)}

    @cached_property
    def titles(self) -> dict[str, str]:
        """What every part and hose is called."""
        parts = {p.id: p.title for p in self.circuit.parts}
        return parts | {h.id: hose_title(h, parts) for h in self.circuit.hoses}

    @cached_property
    def named(self) -> dict[str, str]:
        """The same within a sentence."""
        parts = {p.id: p.title for p in self.circuit.parts}
        said = {i: f"the {inside(t)}" for i, t in parts.items()}
        for h in self.circuit.hoses:
            ends = [inside(parts.get(i, i)) for i in (h.start[0], h.end[0])]
            said[h.id] = f"the hose from {ends[0]} to {ends[1]}"
        return said

    def section(self, at: str, blocked: tuple[str, ...] = (), powered: bool | None = None) -> int:
        """The places that a pump at one of them tests, as bits: it and all beyond it that is not blocked, and
        not behind a solenoid when that had no power."""
        tested = self.branches.beyond[self.place[at]]
        if powered is False:
            for n in self.solenoids:
                if tested >> n & 1:
                    tested &= ~self.branches.beyond[n] | 1 << n
        for one in blocked:
            if one in self.place:
                tested &= ~self.branches.beyond[self.place[one]]
        return tested

    def volume_ml(self, places: int) -> float:
        return sum(v for n, v in enumerate(self.volumes) if places >> n & 1)

    def behind_valve(self, at: str, site: int) -> bool:
        """Whether a one-way valve stands between a place that is pumped at and a site."""
        hangs_on = self.branches.sites[site].hangs_on
        first = self.place[at]
        while hangs_on >= 0 and hangs_on != self.branches.sites[first].hangs_on:
            if hangs_on in self.valves:
                return True
            hangs_on = self.branches.sites[hangs_on].hangs_on
        return False

    def roots(self) -> tuple[str, ...]:
        """The hoses on the pump: what is pumped to test the whole."""
        return tuple(i for i, s in zip(self.ids, self.branches.sites, strict=True) if s.hangs_on < 0)


def hose_title(hose: Hose, parts: dict[str, str]) -> str:
    """A hose as it is called: from what to what."""
    return f"{parts.get(hose.start[0], hose.start[0])} to {parts.get(hose.end[0], hose.end[0])}"


def _port(end: str) -> tuple[str, str]:
    part, _, port = end.partition(".")
    return part, port


def circuit_of(data: entries.Circuit) -> Circuit:
    """The circuit that an entry holds."""
    return Circuit(
        tuple(Part(p.id, p.kind, p.title) for p in data.parts),
        tuple(
            Hose(
                hose.id,
                _port(hose.from_),
                _port(hose.to),
                length_mm=hose.length_mm,
                bore_mm=hose.bore_mm,
                heat=hose.heat,
                age_years=hose.age_years,
                access_min=hose.access_min,
                last_hands=bool(hose.last_hands),
            )
            for hose in data.hoses
        ),
    )


def circuit_on(job: Job) -> Circuit | None:
    """The circuit as it was found, by the latest word on the tape; None while nobody wrote it down."""
    last = circuit_entry(job)
    return circuit_of(last.data) if last else None


def circuit_entry(job: Job, of: str = "found") -> entries.Entry[entries.Circuit] | None:
    """The last list of a circuit, as it was `found` or as it `should` be."""
    return next((x for x in reversed(list(job.of(entries.Circuit))) if x.data.of in (None, of)), None)


def leaking_on(job: Job, knowledge: Knowledge) -> Leaking | None:
    """The places of the job's circuit that can leak; None without a circuit that can be followed from a
    pump."""
    circuit = circuit_on(job)
    if circuit is None or any(p.kind not in knowledge.circuit.kinds for p in circuit.parts):
        return None
    try:
        return leaking(circuit, knowledge)
    except ValueError:
        return None


@lru_cache(maxsize=64)
def leaking(circuit: Circuit, knowledge: Knowledge) -> Leaking:
    """The places that can leak: every hose, and behind it the part it leads to. Raises KeyError for a kind
    that the knowledge does not have, ValueError for a circuit without a hose on a pump."""
    kinds = knowledge.circuit.kinds
    hose_shape = knowledge.circuit.hose
    found = outward(circuit, knowledge.circuit.part_kinds)
    kind_of = {p.id: p.kind for p in circuit.parts}
    sites: list[Site] = []
    ids: list[str] = []
    volumes: list[float] = []
    part_at: dict[int, int] = {}
    seen: set[str] = set()
    for index, run in enumerate(found.runs):
        hose = run.hose
        far = run.far[0]
        access = hose.access_min or hose_shape.access_min
        sites.append(
            Site(
                part_at.get(run.hangs_on, -1),
                hose_shape.odds_of(hose.heat, hose.age_years, hose.last_hands),
                access + hose_shape.pumping_min,
            )
        )
        ids.append(hose.id)
        volumes.append(hose.volume_ml)
        part_at[index] = len(sites) - 1
        if far not in seen:
            seen.add(far)
            kind = kinds[kind_of[far]]
            sites.append(Site(len(sites) - 1, kind.odds, kind.access_min + hose_shape.pumping_min))
            ids.append(far)
            volumes.append(kind.volume_ml)
            part_at[index] = len(sites) - 1
    if not sites:
        raise ValueError("no hose leads from a pump")
    branches = Branches(sites)
    parts = [kinds[kind_of[i]] if i in kind_of else None for i in ids]
    return Leaking(
        circuit,
        found,
        branches,
        ids=tuple(ids),
        faults=tuple(_faults(n, ids, kind_of, branches, knowledge) for n in range(len(ids))),
        volumes=tuple(volumes),
        valves=frozenset(n for n, p in enumerate(parts) if p and p.one_way),
        stores=frozenset(n for n, p in enumerate(parts) if p and p.stores),
        solenoids=frozenset(n for n, p in enumerate(parts) if p and p.shut_without_power),
    )


def _faults(
    n: int, ids: list[str], kind_of: dict[str, str], branches: Branches, knowledge: Knowledge
) -> tuple[str, ...]:
    """What a place stands for: a hose that leads to nothing but the stop is the stop line."""
    beyond = {kind_of[i] for at, i in enumerate(ids) if branches.beyond[n] >> at & 1 and i in kind_of}
    served = {kind for kind in beyond if kind in SINKS or kind.endswith("actuator")}
    shape = knowledge.circuit.kinds.get(kind_of.get(ids[n], ""))
    leaks = knowledge.circuit.leaks
    if shape is None or shape.fault in leaks.hose:
        if served == {STOP}:
            return (leaks.stop_line,)
        if shape is None:
            return leaks.hose
        return (shape.fault,)
    return (shape.driving_turbo if shape.driving_turbo and served == {TURBO} else shape.fault,)
