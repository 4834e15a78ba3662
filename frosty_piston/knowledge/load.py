"""Reads the knowledge files, checks each against its shape and all against each other."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from pathlib import Path
from typing import Any, TypeVar

import numpy as np

from frosty_piston.core.cached import cached_property
from frosty_piston.core.errors import BadKnowledge
from frosty_piston.core.limits import Limit
from frosty_piston.core.suspects.space import BLUR, Finding

from . import shapes as s
from .circuit_shapes import CircuitShape, read_circuit
from .completeness import check_complete
from .figures import Figures
from .parts import DriveShape, Node, Part, joined, nodes_of, read_parts
from .reader import Reader
from .repair_shapes import ActShape, ProofPieces
from .repairs import Option, Repair, act_of, read_repairs
from .reset_shapes import ResetPlanShape, read_reset_plans
from .training_shapes import TrainingShape, read_training

HERE = Path(__file__).parent
EPSILON = 0.0003
# What a part shows at itself, and how often its fault must show so to be proven there.
DIRECT, SHOWS_ITSELF = ("seen", "at_part"), 0.3
NOT_SEEN, SEEN = "not_seen", "seen"
SYMPTOM_BLUR, LEAST_OF_ALARM = 0.2, 8
COMMON_COMPLAINT, SOUND_COMPLAINS = 0.025, 0.1
L = TypeVar("L")


@dataclass(frozen=True)
class CodeEntry:
    """A known code in our own words. `group` is empty for a code that only this workshop has described.
    `cylinder`: the one it names."""

    code: str
    title: str
    system: str
    kind: str
    group: str
    cylinder: int | None = None


@dataclass(frozen=True, eq=False)
class TestFinding:
    """What one test, at some points, speaks for. `lesser`: each outcome by itself, seen beside a worse one or
    not. `between`: bad from afar and sound here, a yes or no, where that speaks for anything."""

    test: str
    shape: s.FindingShape
    witness: s.WitnessShape
    finding: Finding
    lesser: dict[str, Finding]
    between: Finding | None = None
    file: str = ""

    def seen_at(self, places: int, outcome: str) -> Finding:
        """The finding when an outcome was seen at so many places: the number of bad ones counts."""
        return self._again(self.finding, places, outcome)

    def between_at(self, places: int) -> Finding:
        """Bad from afar and sound here, at so many places. Raises AssertionError when that speaks for
        nothing."""
        assert self.between is not None
        return self._again(self.between, places, SEEN)

    def _again(self, finding: Finding, places: int, outcome: str) -> Finding:
        if places < 2 or outcome == finding.outcomes[0]:
            return finding
        key = (finding.id, places, outcome)
        if key not in self._repeated:
            w = self.witness
            least = w.false_alarm / LEAST_OF_ALARM
            self._repeated[key] = finding.repeated(outcome, places, w.repeats, least)
        return self._repeated[key]

    @cached_property
    def _repeated(self) -> dict[tuple[str, int, str], Finding]:
        return {}


@dataclass(frozen=True, eq=False)
class Knowledge:
    """Everything the trade knows here, checked."""

    scale: dict[str, float]
    systems: dict[str, str]
    access: dict[str, s.AccessShape]
    tools: dict[str, str]
    cleaning: dict[str, s.CleaningShape]
    soot: s.SootShape
    circuit: CircuitShape
    cautions: dict[str, s.CautionShape]
    faults: dict[str, s.FaultShape]
    upstream: dict[str, dict[str, float]]
    repairs: dict[str, Repair]
    options: dict[str, Option]
    repair_of: dict[str, str]
    acts: dict[str, ActShape]
    proofs: ProofPieces
    nodes: dict[str, Node]
    channels: dict[str, s.ChannelShape]
    parts: dict[str, Part]
    fault_system: dict[str, str]
    symptoms: dict[str, s.SymptomShape]
    contexts: dict[str, s.ContextShape]
    tests: dict[str, s.TestShape]
    witnesses: dict[str, s.WitnessShape]
    findings: dict[str, list[TestFinding]]
    symptom_findings: dict[str, Finding]
    groups: dict[str, s.CodeGroupShape]
    group_findings: dict[str, Finding]
    codes: dict[str, CodeEntry]
    figures: dict[str, s.FigureShape]
    limit_rows: Figures
    reach: dict[str, tuple[float, float]]
    named_reach: dict[str, s.NamedReachShape]
    choices: dict[str, s.ChoiceShape]
    benches: dict[str, s.BenchShape]
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
    def proofs_at_part(self) -> dict[str, frozenset[str]]:
        """By which findings, seen or measured at the part itself, each repair is proven needed."""
        own_parts = {r: {self.faults[f].part for f in x.cures} for r, x in self.repairs.items()}
        direct = [x for found in self.findings.values() for x in found if x.shape.how in DIRECT]
        return {
            r: frozenset(
                x.finding.id
                for x in direct
                if (not x.shape.nodes or own_parts[r] & {self.nodes[n].part for n in x.shape.nodes})
                and any(
                    x.finding.shows[f][1:].max() >= SHOWS_ITSELF
                    for f in self.repairs[r].cures
                    if f in x.finding.shows
                )
            )
            for r in self.repairs
        }

    @cached_property
    def pins_of(self) -> dict[str, frozenset[str]]:
        """The findings at the pins of each repair's part."""
        own_parts = {r: {self.faults[f].part for f in x.cures} for r, x in self.repairs.items()}
        return {
            r: frozenset(
                x.finding.id
                for x in self.findings.get("supply_pins", ())
                if own_parts[r] & {self.nodes[n].part for n in x.shape.nodes}
            )
            for r in self.repairs
        }

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
                (len(w), n)
                for n, shape in self.nodes.items()
                for w in shape.words
                if w.replace("-", " ").replace("_", " ") in text
            ),
            default=None,
        )
        return best[1] if best else None

    def taken(
        self, repair: str, act: str, option: str | None = None, temporary: bool = False
    ) -> tuple[tuple[str, ...], float]:
        """Which faults an act takes away, and the chance that it does."""
        return act_of(self, repair, act, option, temporary)


class _Weights:
    """Turns words into chances; what it cannot turn it names with file, line and key."""

    def __init__(self, reader: Reader, scale: dict[str, float]):
        self.reader, self.scale = reader, scale

    def chance(self, name: str, path: list[str], given: str | float) -> float:
        if isinstance(given, str):
            if given not in self.scale:
                raise BadKnowledge(
                    self.reader.says(
                        name,
                        [*path, given],
                        f"{given!r} is no word of the scale; allowed: {', '.join(self.scale)}",
                    )
                )
            return self.scale[given]
        return given

    def row(
        self, name: str, path: list[str], outcomes: list[str], shows: dict[str, str | float]
    ) -> np.ndarray:
        row = np.full(len(outcomes), EPSILON)
        for outcome, given in shows.items():
            if outcome not in outcomes:
                raise BadKnowledge(
                    self.reader.says(
                        name, [*path, outcome], f"outcome {outcome!r} is not one of {', '.join(outcomes)}"
                    )
                )
            row[outcomes.index(outcome)] = self.chance(name, [*path, outcome], given)
        named = {outcomes.index(o) for o in shows}
        if 0 not in named:
            row[0] = max(EPSILON, 1 - row[1:].sum())
        elif abs(row.sum() - 1) > 0.2:
            raise BadKnowledge(self.reader.says(name, path, f"the chances add to {row.sum():.2f}, not 1"))
        if row[1:].sum() > 1.05:
            raise BadKnowledge(
                self.reader.says(name, path, f"the chances add to {row[1:].sum():.2f}, more than 1")
            )
        return np.asarray(row / row.sum())

    def two(
        self,
        name: str,
        path: list[str],
        finding: str,
        general: str | float,
        speaks: dict[str, tuple[str | float, str]],
        blur: float = BLUR,
    ) -> Finding:
        g = self.chance(name, [*path, "general"], general)
        shows = {}
        for fault, (given, _) in speaks.items():
            p = self.chance(name, [*path, fault], given)
            shows[fault] = np.array([1 - p, p])
        return Finding(finding, (NOT_SEEN, SEEN), np.array([1 - g, g]), shows, blur)


@lru_cache(maxsize=4)
def load_knowledge(folder: Path = HERE) -> Knowledge:
    """Read and check all knowledge files of a folder. Raises BadKnowledge with file, line, key and reason."""
    r = Reader(folder)
    weights = _Weights(r, r.read("scale.toml", dict[str, float]))
    systems = r.read("systems.toml", dict[str, str])
    access, tools = r.read("access.toml", dict[str, s.AccessShape]), r.read("tools.toml", dict[str, str])
    cautions = r.read("cautions.toml", dict[str, s.CautionShape])
    cleaning = r.read("cleaning.toml", dict[str, s.CleaningShape])
    for key, way in cleaning.items():
        r.all_known("cleaning.toml", [key, "cautions"], way.cautions, cautions)
    faults, fault_system = _faults(r, systems)
    soot = r.read("soot.toml", s.SootShape)
    reach = r.read("reach.toml", s.ReachShape)
    tests = _tests(r, {"system": systems, "access": access, "tools": tools, "cautions": cautions})
    for key, test in tests.items():
        r.all_known("tests.toml", [key, "stands_in_for"], test.stands_in_for, tests)
        r.all_known("tests.toml", [key, "adds_nothing_after"], test.adds_nothing_after, tests)
    _soot_known(r, soot, faults, tests)
    part_shapes = read_parts(r, systems, faults, fault_system, tests)
    nodes = nodes_of(part_shapes)
    witnesses = r.read("witnesses.toml", dict[str, s.WitnessShape])
    findings = _findings(r, weights, tests, faults, nodes, witnesses, access)
    symptoms = _symptoms(r, faults, tests, cautions)
    contexts = r.read("contexts.toml", dict[str, s.ContextShape])
    for key, context in contexts.items():
        r.all_known("contexts.toml", [f"{key}.moves"], context.moves, faults)
        r.all_known("contexts.toml", [f"{key}.cautions"], context.cautions, cautions)
    groups, codes, group_file = _codes(r, weights, systems, faults)
    figures = Figures(r)
    benches = r.read("benches.toml", dict[str, s.BenchShape])
    for bench, shape in benches.items():
        r.all_known("benches.toml", [bench], (test for test, _ in shape.steps), tests)
        r.all_known("benches.toml", [bench], (node for _, node in shape.steps if node), nodes)
    choices = r.read("card_choices.toml", dict[str, s.ChoiceShape])
    work = read_repairs(
        r, faults, {"access": access, "tests": tests, "cautions": cautions, "figures": figures.rows}
    )
    for key, reset in work.proofs.resets.items():
        r.all_known("proof_pieces.toml", ["resets", key, "card"], filter(None, [reset.card]), choices)
    for key, symptom in symptoms.items():
        proved = filter(None, [symptom.proved_by])
        r.all_known("symptoms.toml", [key, "proved_by"], proved, work.proofs.conditions)
    knowledge = Knowledge(
        weights.scale,
        systems,
        access,
        tools,
        cleaning,
        soot,
        read_circuit(r, faults, tests),
        cautions,
        faults,
        {
            key: {
                cause: weights.chance(f"faults/{fault_system[key]}.toml", [key, "killed_by", cause], c)
                for cause, (c, _) in shape.killed_by.items()
            }
            for key, shape in faults.items()
        },
        work.repairs,
        work.options,
        work.repair_of,
        work.acts,
        work.proofs,
        nodes,
        r.read("channels.toml", dict[str, s.ChannelShape]),
        joined(part_shapes, faults, tests, findings),
        fault_system,
        symptoms,
        contexts,
        tests,
        witnesses,
        findings,
        {
            key: _told(
                weights.two("symptoms.toml", [key], f"symptom.{key}", v.general, v.speaks, SYMPTOM_BLUR)
            )
            for key, v in symptoms.items()
        },
        groups,
        {
            key: weights.two(group_file[key], [f"groups.{key}"], f"codes.{key}", v.general, v.speaks)
            for key, v in groups.items()
        },
        codes,
        figures.rows,
        figures,
        reach.units,
        reach.names,
        choices,
        benches,
        {step: bench for bench, shape in benches.items() for step in shape.steps},
        read_reset_plans(r, work.repairs, work.proofs.resets, cautions),
        read_training(r, systems, faults, tests, cautions, access),
    )
    check_complete(knowledge, r.says)
    return knowledge


def _faults(r: Reader, systems: dict[str, str]) -> tuple[dict[str, s.FaultShape], dict[str, str]]:
    faults: dict[str, s.FaultShape] = {}
    fault_system: dict[str, str] = {}
    for name in r.many("faults"):
        system = Path(name).stem
        r.known(name, [], system, systems)
        read = r.read(name, dict[str, s.FaultShape])
        if twice := set(read) & set(faults):
            raise BadKnowledge(r.says(name, [min(twice)], "the fault stands in two files"))
        faults |= read
        fault_system |= dict.fromkeys(read, system)
    for key, fault in faults.items():
        r.all_known(f"faults/{fault_system[key]}.toml", [key, "killed_by"], fault.killed_by, faults)
    return faults, fault_system


def _tests(r: Reader, allowed: dict[str, Any]) -> dict[str, s.TestShape]:
    tests: dict[str, s.TestShape] = r.read("tests.toml", dict[str, s.TestShape])
    for key, test in tests.items():
        for other in test.answered_by:
            r.known("tests.toml", [key, "answered_by"], other, list(tests))
        r.known("tests.toml", [key, "system"], test.system, allowed["system"])
        r.all_known("tests.toml", [key, "access"], test.access, allowed["access"])
        r.all_known("tests.toml", [key, "tools"], test.tools, allowed["tools"])
        for what in ("cautions", "if_failed", "ticks"):
            r.all_known("tests.toml", [key, what], getattr(test, what), allowed["cautions"])
        for pin, cautions in test.pin_ticks.items():
            r.known("tests.toml", [key, "pin_ticks"], pin, test.pins)
            r.all_known("tests.toml", [key, "pin_ticks", pin], cautions, allowed["cautions"])
        for point, shape in test.at.items():
            r.known("tests.toml", [f"{key}.at.{point}"], point, test.points)
            r.all_known("tests.toml", [f"{key}.at.{point}", "access"], shape.access, allowed["access"])
    return tests


def _soot_known(
    r: Reader, soot: s.SootShape, faults: dict[str, s.FaultShape], tests: dict[str, s.TestShape]
) -> None:
    r.all_known("soot.toml", ["made_by_soot"], soot.made_by_soot, faults)
    for key, cause in soot.causes.items():
        r.all_known("soot.toml", ["causes", key, "faults"], cause.faults, faults)
        r.all_known("soot.toml", ["causes", key, "tests"], cause.tests, tests)


def _symptoms(
    r: Reader,
    faults: dict[str, s.FaultShape],
    tests: dict[str, s.TestShape],
    cautions: dict[str, s.CautionShape],
) -> dict[str, s.SymptomShape]:
    symptoms: dict[str, s.SymptomShape] = r.read("symptoms.toml", dict[str, s.SymptomShape])
    for key, symptom in symptoms.items():
        r.all_known("symptoms.toml", [f"{key}.speaks"], symptom.speaks, faults)
        r.all_known("symptoms.toml", [key, "told_by"], filter(None, [symptom.told_by]), tests)
        r.all_known("symptoms.toml", [key, "cautions"], symptom.cautions, cautions)
    return symptoms


def _findings(
    r: Reader,
    weights: _Weights,
    tests: dict[str, s.TestShape],
    faults: dict[str, s.FaultShape],
    nodes: dict[str, Node],
    witnesses: dict[str, s.WitnessShape],
    access: dict[str, s.AccessShape],
) -> dict[str, list[TestFinding]]:
    findings: dict[str, list[TestFinding]] = {}
    for name in r.many("findings"):
        for test, given in r.read(name, dict[str, list[s.FindingShape]]).items():
            r.known(name, [test], test, tests)
            for shape in given:
                path = [test, shape.name]
                shows: dict[str, np.ndarray] = {}
                for speaks in shape.speaks:
                    r.known(name, [test, speaks.fault], speaks.fault, faults)
                    shows[speaks.fault] = weights.row(
                        name, [*path, speaks.fault], shape.outcomes, speaks.shows
                    )
                for point in shape.points:
                    r.known(name, [test, "points"], point, tests[test].points)
                for node in shape.nodes:
                    r.known(name, [test, "nodes"], node, nodes)
                r.known(name, [*path, "how"], shape.how, witnesses)
                r.all_known(name, [*path, "reach"], shape.reach, access)
                witness = witnesses[shape.how]
                slip = witness.false_alarm / (len(shape.outcomes) - 1)
                slips = dict.fromkeys(shape.outcomes[1:], slip)
                general = weights.row(name, [*path, "general"], shape.outcomes, {**slips, **shape.general})
                well = weights.row(name, [*path, "well"], shape.outcomes, shape.well) if shape.well else None
                finding = Finding(
                    f"{test}.{shape.name}", tuple(shape.outcomes), general, shows, witness.unlisted, well
                )
                lesser = _lesser(weights, name, path, shape, finding)
                r.all_known(name, [*path, "between"], shape.between, faults)
                between = (
                    weights.two(name, [*path, "between"], f"{finding.id}.between", slip, shape.between)
                    if shape.between
                    else None
                )
                findings.setdefault(test, []).append(
                    TestFinding(test, shape, witness, finding, lesser, between, name)
                )
    return findings


def _told(symptom: Finding) -> Finding:
    """A complaint. Who comes in with nothing wrong has one all the same, and one of the common ones."""
    common = float(symptom.general[1]) >= COMMON_COMPLAINT
    return replace(symptom, well=_seen(SOUND_COMPLAINS)) if common else symptom


def _seen(chance: float) -> np.ndarray:
    return np.array([1 - chance, chance])


def _lesser(
    weights: _Weights, name: str, path: list[str], shape: s.FindingShape, finding: Finding
) -> dict[str, Finding]:
    """Each outcome but the best as a finding of its own: by `beside` where a fault has it, else by its
    row."""
    beside = {
        speaks.fault: {
            o: weights.chance(name, [*path, speaks.fault, "beside"], given)
            for o, given in speaks.beside.items()
        }
        for speaks in shape.speaks
    }
    for fault, given in beside.items():
        if unknown := set(given) - set(shape.outcomes):
            raise BadKnowledge(
                weights.reader.says(
                    name,
                    [*path, fault, "beside"],
                    f"outcome {sorted(unknown)[0]!r} is not one of {', '.join(shape.outcomes)}",
                )
            )
    lesser = {}
    for at, outcome in enumerate(shape.outcomes[1:], 1):
        chances = {fault: beside[fault].get(outcome, float(row[at])) for fault, row in finding.shows.items()}
        lesser[outcome] = Finding(
            f"{finding.id}.{outcome}",
            (NOT_SEEN, SEEN),
            _seen(finding.general[at]),
            {f: _seen(p) for f, p in chances.items()},
            well=None if finding.well is None else _seen(finding.well[at]),
        )
    return lesser


def _speak_for_all(
    r: Reader, weights: _Weights, files: dict[str, s.CodesFile], groups: dict[str, s.CodeGroupShape]
) -> None:
    """A group of several speaks for whatever one of them speaks for, by the strongest word."""
    for name, file in files.items():
        for key, group in file.groups.items():
            for other in group.of:
                r.known(name, [f"groups.{key}", "of"], other, groups)
                for fault, (given, because) in groups[other].speaks.items():
                    strong = weights.chance(name, [f"groups.{key}", fault], given)
                    known = group.speaks.get(fault)
                    if known is None or weights.chance(name, [f"groups.{key}", fault], known[0]) < strong:
                        group.speaks[fault] = (given, because)


def _codes(
    r: Reader, weights: _Weights, systems: dict[str, str], faults: dict[str, s.FaultShape]
) -> tuple[dict[str, s.CodeGroupShape], dict[str, CodeEntry], dict[str, str]]:
    files: dict[str, s.CodesFile] = {name: r.read(name, s.CodesFile) for name in r.many("codes")}
    groups = {key: group for file in files.values() for key, group in file.groups.items()}
    _speak_for_all(r, weights, files, groups)
    codes: dict[str, CodeEntry] = {}
    for name, file in files.items():
        for key, group in file.groups.items():
            for fault in (*group.speaks, *group.clears):
                r.known(name, [f"groups.{key}", fault], fault, faults)
            for other in (*group.refined.values(), *group.follows):
                r.known(name, [f"groups.{key}"], other, groups)
        listed = [
            CodeEntry(code, title, system, kind, group)
            for code, (system, kind, group, title) in file.codes.items()
        ]
        listed += [code for family in file.families for code in _family(family)]
        for code in listed:
            r.known(name, [code.code], code.group, groups)
            r.known(name, [code.code], code.system, systems)
            if code.code in codes:
                raise BadKnowledge(r.says(name, [code.code], "the code stands twice"))
            codes[code.code] = code
    return groups, codes, {key: name for name, file in files.items() for key in file.groups}


def _family(family: s.CodeFamilyShape) -> list[CodeEntry]:
    first, last = int(family.first[1:]), int(family.last[1:])
    return [
        CodeEntry(
            f"{family.first[0]}{n:04d}",
            family.title.replace("{n}", str(family.starts_at + i)),
            family.system,
            family.kind,
            family.group,
            family.starts_at + i if "cylinder {n}" in family.title.lower() else None,
        )
        for i, n in enumerate(range(first, last + 1, family.step))
    ]
