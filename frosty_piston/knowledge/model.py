"""Everything the trade knows here, as one value that every rule is handed."""

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import TypeVar

from frosty_piston.core.cached import cached_property
from frosty_piston.core.limits import Limit
from frosty_piston.core.suspects.space import Finding

from .circuit_shapes import CircuitShape
from .figures import Figures
from .finding import CodeEntry, TestFinding
from .parts import DriveShape, Node, Part
from .repair_shapes import ActShape, ProofPieces
from .repairs import Option, Repair, act_of
from .reset_shapes import ResetPlanShape
from .shapes import (
    AccessShape,
    BenchShape,
    CautionShape,
    ChannelShape,
    ChoiceShape,
    CleaningShape,
    CodeGroupShape,
    ContextShape,
    FaultShape,
    FigureShape,
    NamedReachShape,
    SootShape,
    StatusShape,
    SymptomShape,
    TestShape,
    WitnessShape,
    WordingShape,
)
from .training_shapes import TrainingShape

# What a part shows at itself, and how often its fault must show so to be proven there.
DIRECT = ("seen", "at_part")
SHOWS_ITSELF = 0.3
L = TypeVar("L")


@dataclass(frozen=True, eq=False)
class Knowledge:
    """Everything the trade knows here, checked."""

    folder: Path
    scale: dict[str, float]
    systems: dict[str, str]
    access: dict[str, AccessShape]
    tools: dict[str, str]
    cleaning: dict[str, CleaningShape]
    soot: SootShape
    circuit: CircuitShape
    cautions: dict[str, CautionShape]
    faults: dict[str, FaultShape]
    upstream: dict[str, dict[str, float]]
    repairs: dict[str, Repair]
    options: dict[str, Option]
    repair_of: dict[str, str]
    acts: dict[str, ActShape]
    proofs: ProofPieces
    nodes: dict[str, Node]
    channels: dict[str, ChannelShape]
    parts: dict[str, Part]
    fault_system: dict[str, str]
    symptoms: dict[str, SymptomShape]
    contexts: dict[str, ContextShape]
    tests: dict[str, TestShape]
    witnesses: dict[str, WitnessShape]
    lines: dict[str, dict[str, dict[str, float]]]
    findings: dict[str, list[TestFinding]]
    by_state: dict[str, dict[str, float]]
    wording: dict[str, WordingShape]
    statuses: dict[str, StatusShape]
    symptom_findings: dict[str, Finding]
    groups: dict[str, CodeGroupShape]
    group_findings: dict[str, Finding]
    codes: dict[str, CodeEntry]
    figures: dict[str, FigureShape]
    limit_rows: Figures
    reach: dict[str, tuple[float, float]]
    named_reach: dict[str, NamedReachShape]
    choices: dict[str, ChoiceShape]
    benches: dict[str, BenchShape]
    bench_of: dict[tuple[str, str], str]
    reset_plans: dict[str, ResetPlanShape]
    training: TrainingShape

    @cached_property
    def regimes(self) -> dict[str, frozenset[str]]:
        """When each fault shows: at the start, running, at the stop; by the symptoms that it brings."""
        shown: dict[str, set[str]] = {f: set() for f in self.faults}
        for shape in self.symptoms.values():
            for fault in shape.speaks if shape.regime != "message" else ():
                shown[fault].add(shape.regime)
        return {f: frozenset(regimes) for f, regimes in shown.items()}

    @cached_property
    def findings_by_id(self) -> dict[str, TestFinding]:
        return {known.finding.id: known for of_test in self.findings.values() for known in of_test}

    @cached_property
    def lines_of_signs(self) -> dict[str, str]:
        """The line that each symptom and group of codes hangs on, by the id of its finding."""
        symptoms = {f"symptom.{name}": shape.line for name, shape in self.symptoms.items()}
        groups = {f"codes.{name}": shape.line for name, shape in self.groups.items()}
        return {name: line for name, line in (symptoms | groups).items() if line}

    @cached_property
    def proofs_at_part(self) -> dict[str, frozenset[str]]:
        """By which findings, seen or measured at the part itself, each repair is proven needed."""
        direct = [
            known for of_test in self.findings.values() for known in of_test if known.shape.how in DIRECT
        ]
        proofs: dict[str, frozenset[str]] = {}
        for repair, shape in self.repairs.items():
            own_parts = self._parts_of(repair)
            here = [known for known in direct if own_parts & self.parts_reached(known)]
            shown = [known for known in here if _shows_any(known, shape.cures)]
            proofs[repair] = frozenset(known.finding.id for known in shown)
        return proofs

    @cached_property
    def named_by_group(self) -> dict[str, dict[str, frozenset[str]]]:
        """Of each group of codes, the places at which it puts the faults that can be at many: the other parts
        of the circuit, or the group itself where the vocabulary has no part for it."""
        many = {fault for fault, shape in self.faults.items() if shape.one_of_many}
        named: dict[str, dict[str, frozenset[str]]] = {}
        for group, shape in self.groups.items():
            others = {f: p for f, (p, _) in shape.speaks.items() if f not in many}
            units = {self.faults[f].part for f in many}
            own = {f: p for f, p in others.items() if self.faults[f].part not in units}
            parts = {self.faults[f].part for f, p in own.items() if p == max(own.values())}
            named[group] = dict.fromkeys(many & shape.speaks.keys(), frozenset(parts or {group}))
        return named

    @cached_property
    def addresses(self) -> dict[str, tuple[str, ...]]:
        """Where each fault can be that can be at many things."""
        places: dict[str, set[str]] = {f: set() for f, shape in self.faults.items() if shape.one_of_many}
        for named in self.named_by_group.values():
            for fault, parts in named.items():
                places[fault] |= parts
        for of_test in self.findings.values():
            for known in of_test:
                for fault in places.keys() & known.finding.shows.keys():
                    places[fault] |= self.parts_reached(known)
        return {fault: tuple(sorted(found - {self.faults[fault].part})) for fault, found in places.items()}

    def parts_reached(self, known: TestFinding) -> set[str]:
        """The parts at which a finding is made: what it names, or all that its test is of."""
        return self._parts_read(known) or set(self.tests[known.test].parts)

    def _parts_of(self, repair: str) -> set[str]:
        return {self.faults[fault].part for fault in self.repairs[repair].cures}

    def _parts_read(self, known: TestFinding) -> set[str]:
        return {self.nodes[node].part for node in known.shape.nodes}

    @cached_property
    def pins_of(self) -> dict[str, frozenset[str]]:
        """The findings at the pins of each repair's part."""
        at_pins = self.findings.get("supply_pins", ())
        pins: dict[str, frozenset[str]] = {}
        for repair in self.repairs:
            here = [known for known in at_pins if self._parts_of(repair) & self._parts_read(known)]
            pins[repair] = frozenset(known.finding.id for known in here)
        return pins

    @cached_property
    def latches(self) -> dict[str, str]:
        """What takes off a latch or sets a counter back: steps of plans, and the resets they prove."""
        latches: dict[str, str] = {}
        for plan in self.reset_plans.values():
            for step in plan.steps:
                if step.barred:
                    latch = "unlatches" if step.unlatches else "counter"
                    latches |= dict.fromkeys([step.id, *plan.proves], latch)
        return latches

    def general(self, figure: str) -> float:
        """The general figure by id; every figure that is asked for by code has one."""
        value = self.figures[figure].general
        assert value is not None, figure
        return value

    def limits(self, cls: type[L], card: Mapping[str, object] | None = None) -> L:
        """The limits of an area: general figures, and the engine card's where it has its own."""
        return self.limit_rows.of(cls, card)

    def limit(self, figure: str, card: Mapping[str, object]) -> Limit:
        """One figure by its key: the engine card's, or the general one."""
        return self.limit_rows.one(figure, card)

    def drive(self, node: str) -> DriveShape | None:
        """What drives the part that a reading names."""
        return self.parts[self.nodes[node].part].drive

    def cautions_at(self, test: str, said: str | None = None) -> list[str]:
        """The cautions of a test at a part: some hold at one kind of part only. Nothing said of the part: all
        of them."""
        return self._holding(self.tests[test].cautions, said)

    def ticks_at(self, test: str, said: str | None = None, pin: str | None = None) -> list[str]:
        """The cautions that must be ticked before a test is written down at a part and a pin."""
        shape = self.tests[test]
        return self._holding([*shape.ticks, *shape.pin_ticks.get(pin or "", [])], said)

    def asked_at(self, test: str, said: str | None = None) -> list[str]:
        """The cautions that are shown with a tick at a test: those that hold something back there."""
        pins = [c for cautions in self.tests[test].pin_ticks.values() for c in cautions]
        return list(dict.fromkeys([*self.ticks_at(test, said), *self._holding(pins, said)]))

    def _holding(self, cautions: list[str], said: str | None) -> list[str]:
        node = self.node(said)
        part = self.nodes[node].part if node else None
        return [c for c in cautions if not said or not (at := self.cautions[c].parts) or part in at]

    def node(self, said: str | None) -> str | None:
        """The part that a word on the tape names: the longest known word in it decides; None when none
        fits."""
        text = (said or "").lower().replace("-", " ").replace("_", " ")
        best = max(
            (
                (len(word), key)
                for key, shape in self.nodes.items()
                for word in shape.words
                if word.replace("-", " ").replace("_", " ") in text
            ),
            default=None,
        )
        return best[1] if best else None

    def taken(
        self, repair: str, act: str, option: str | None = None, temporary: bool = False
    ) -> tuple[tuple[str, ...], float]:
        """Which faults an act takes away, and the chance that it does."""
        return act_of(self, repair, act, option, temporary)


def _shows_any(known: TestFinding, faults: tuple[str, ...]) -> bool:
    """Whether a bad outcome of a finding nearly always goes with one of some faults."""
    shown = [known.finding.shows[fault] for fault in faults if fault in known.finding.shows]
    return any(rows[1:].max() >= SHOWS_ITSELF for rows in shown)
