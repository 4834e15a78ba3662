"""Reads the knowledge files, checks each against its shape and all against each other."""

from dataclasses import replace
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np

from frosty_piston.core.codes import STATUSES
from frosty_piston.core.errors import BadKnowledge
from frosty_piston.core.suspects.space import BLUR, Finding

from .circuit_shapes import read_circuit
from .completeness import check_complete
from .figures import Figures
from .finding import NOT_SEEN, OF_ALL, SEEN, CodeEntry, TestFinding
from .model import Knowledge
from .parts import Node, joined, nodes_of, read_parts
from .reader import Reader
from .repairs import read_repairs
from .reset_shapes import read_reset_plans
from .shapes import (
    AccessShape,
    BenchShape,
    CautionShape,
    ChannelShape,
    ChoiceShape,
    CleaningShape,
    CodeFamilyShape,
    CodeGroupShape,
    CodesFile,
    ContextShape,
    FaultShape,
    FindingShape,
    ReachShape,
    SootShape,
    StatusShape,
    SymptomShape,
    TestShape,
    WitnessShape,
    WordingShape,
)
from .training_shapes import read_training

HERE = Path(__file__).parent
EPSILON = 0.0003
NEIGHBOUR_SHARE = 0.02
SEEN_ITSELF = "seen"
SYMPTOM_BLUR = 0.2
COMMON_COMPLAINT = 0.025
CIRCUIT = "circuit"
CIRCUIT_CODE = "circuit_code"
SOUND_COMPLAINS = 0.1
SOUND = "sound"
Lines = dict[str, dict[str, dict[str, float]]]


class _Weights:
    """Turns words into chances; what it cannot turn it names with file, line and key."""

    def __init__(self, reader: Reader, scale: dict[str, float]):
        self.reader = reader
        self.scale = scale

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
    reader = Reader(folder)
    weights = _Weights(reader, reader.read("scale.toml", dict[str, float]))
    systems = reader.read("systems.toml", dict[str, str])
    access = reader.read("access.toml", dict[str, AccessShape])
    tools = reader.read("tools.toml", dict[str, str])
    cautions = reader.read("cautions.toml", dict[str, CautionShape])
    cleaning = reader.read("cleaning.toml", dict[str, CleaningShape])
    for key, way in cleaning.items():
        reader.all_known("cleaning.toml", [key, "cautions"], way.cautions, cautions)
    faults, fault_system = _faults(reader, systems)
    soot = reader.read("soot.toml", SootShape)
    reach = reader.read("reach.toml", ReachShape)
    tests = _tests(reader, {"system": systems, "access": access, "tools": tools, "cautions": cautions})
    for key, test in tests.items():
        reader.all_known("tests.toml", [key, "stands_in_for"], test.stands_in_for, tests)
        reader.all_known("tests.toml", [key, "edges"], test.edges, ["value", *test.figures])
        reader.all_known("tests.toml", [key, "adds_nothing_after"], test.adds_nothing_after, tests)
    _soot_known(reader, soot, faults, tests)
    part_shapes = read_parts(reader, systems, faults, fault_system, tests)
    nodes = nodes_of(part_shapes)
    witnesses = reader.read("witnesses.toml", dict[str, WitnessShape])
    lines = _lines(reader, faults)
    findings = _findings(
        reader, weights, tests, faults=faults, nodes=nodes, witnesses=witnesses, access=access, lines=lines
    )
    symptoms = _symptoms(reader, faults, tests, cautions)
    by_state = {
        f"symptom.{key}": _shown_by_state(weights, "symptoms.toml", [key], symptom, lines)
        for key, symptom in symptoms.items()
        if symptom.by_state
    }
    contexts = reader.read("contexts.toml", dict[str, ContextShape])
    for key, context in contexts.items():
        reader.all_known("contexts.toml", [f"{key}.moves"], context.moves, faults)
        reader.all_known("contexts.toml", [f"{key}.cautions"], context.cautions, cautions)
    groups, codes, group_file = _codes(reader, weights, systems, faults, tests)
    by_state |= {
        f"codes.{key}": _shown_by_state(weights, group_file[key], [f"groups.{key}"], group, lines)
        for key, group in groups.items()
        if group.by_state
    }
    kinds: dict[str, set[str]] = {}
    for code in codes.values():
        kinds.setdefault(code.group, set()).add(code.kind)
    wording = reader.read("wording.toml", dict[str, WordingShape])
    for key, says in wording.items():
        reader.all_known("wording.toml", [key, "groups"], says.groups, groups)
        reader.all_known("wording.toml", [key, "moves"], says.moves, faults)
    statuses = reader.read("statuses.toml", dict[str, StatusShape])
    for key, said in statuses.items():
        reader.all_known("statuses.toml", [key, "statuses"], said.statuses, STATUSES)
        reader.all_known("statuses.toml", [key, "kinds"], said.kinds, {code.kind for code in codes.values()})
        reader.all_known("statuses.toml", [key, "left"], said.left, faults)
    figures = Figures(reader)
    benches = reader.read("benches.toml", dict[str, BenchShape])
    for bench, shape in benches.items():
        reader.all_known("benches.toml", [bench], (test for test, _ in shape.steps), tests)
        reader.all_known("benches.toml", [bench], (node for _, node in shape.steps if node), nodes)
    choices = reader.read("card_choices.toml", dict[str, ChoiceShape])
    work = read_repairs(
        reader, faults, {"access": access, "tests": tests, "cautions": cautions, "figures": figures.rows}
    )
    for key, reset in work.proofs.resets.items():
        reader.all_known("proof_pieces.toml", ["resets", key, "card"], filter(None, [reset.card]), choices)
    for key, symptom in symptoms.items():
        proved = filter(None, [symptom.proved_by])
        reader.all_known("symptoms.toml", [key, "proved_by"], proved, work.proofs.conditions)
    knowledge = Knowledge(
        folder=folder,
        scale=weights.scale,
        systems=systems,
        access=access,
        tools=tools,
        cleaning=cleaning,
        soot=soot,
        circuit=read_circuit(reader, faults, tests),
        cautions=cautions,
        faults=faults,
        upstream={
            key: {
                cause: weights.chance(f"faults/{fault_system[key]}.toml", [key, "killed_by", cause], chance)
                for cause, (chance, _) in shape.killed_by.items()
            }
            for key, shape in faults.items()
        },
        repairs=work.repairs,
        options=work.options,
        repair_of=work.repair_of,
        acts=work.acts,
        proofs=work.proofs,
        nodes=nodes,
        channels=reader.read("channels.toml", dict[str, ChannelShape]),
        parts=joined(part_shapes, faults, tests, findings),
        fault_system=fault_system,
        symptoms=symptoms,
        contexts=contexts,
        tests=tests,
        witnesses=witnesses,
        lines=lines,
        findings=findings,
        by_state=by_state,
        wording=wording,
        statuses=statuses,
        symptom_findings={
            key: _told(
                weights.two(
                    "symptoms.toml",
                    [key],
                    f"symptom.{key}",
                    general=v.general,
                    speaks=_spoken_by_state(v, lines, by_state.get(f"symptom.{key}", {})),
                    blur=SYMPTOM_BLUR,
                )
            )
            for key, v in symptoms.items()
        },
        groups=groups,
        group_findings={
            key: weights.two(
                group_file[key],
                [f"groups.{key}"],
                f"codes.{key}",
                _noise(weights, group_file[key], key, v, kinds.get(key, set()), faults, witnesses),
                _spoken_by_state(v, lines, by_state.get(f"codes.{key}", {})),
                blur=witnesses[CIRCUIT_CODE].unlisted if kinds.get(key) == {CIRCUIT} else BLUR,
            )
            for key, v in groups.items()
        },
        codes=codes,
        figures=figures.rows,
        limit_rows=figures,
        reach=reach.units,
        named_reach=reach.names,
        choices=choices,
        benches=benches,
        bench_of={step: bench for bench, shape in benches.items() for step in shape.steps},
        reset_plans=read_reset_plans(reader, work.repairs, work.proofs.resets, cautions),
        training=read_training(reader, systems, faults, tests=tests, cautions=cautions, access=access),
    )
    check_complete(knowledge, reader.says)
    return knowledge


def _faults(reader: Reader, systems: dict[str, str]) -> tuple[dict[str, FaultShape], dict[str, str]]:
    faults: dict[str, FaultShape] = {}
    fault_system: dict[str, str] = {}
    for name in reader.many("faults"):
        system = Path(name).stem
        reader.known(name, [], system, systems)
        read = reader.read(name, dict[str, FaultShape])
        if twice := set(read) & set(faults):
            raise BadKnowledge(reader.says(name, [min(twice)], "the fault stands in two files"))
        faults |= read
        fault_system |= dict.fromkeys(read, system)
    for key, fault in faults.items():
        name = f"faults/{fault_system[key]}.toml"
        reader.all_known(name, [key, "killed_by"], fault.killed_by, faults)
        reader.all_known(name, [key, "never_with"], fault.never_with, faults)
    return faults, fault_system


def _tests(reader: Reader, allowed: dict[str, Any]) -> dict[str, TestShape]:
    tests: dict[str, TestShape] = reader.read("tests.toml", dict[str, TestShape])
    for key, test in tests.items():
        for other in test.answered_by:
            reader.known("tests.toml", [key, "answered_by"], other, list(tests))
        reader.known("tests.toml", [key, "system"], test.system, allowed["system"])
        reader.all_known("tests.toml", [key, "access"], test.access, allowed["access"])
        reader.all_known("tests.toml", [key, "tools"], test.tools, allowed["tools"])
        for what in ("cautions", "if_failed", "ticks"):
            reader.all_known("tests.toml", [key, what], getattr(test, what), allowed["cautions"])
        for pin, cautions in test.pin_ticks.items():
            reader.known("tests.toml", [key, "pin_ticks"], pin, test.pins)
            reader.all_known("tests.toml", [key, "pin_ticks", pin], cautions, allowed["cautions"])
        for point, shape in test.at.items():
            reader.known("tests.toml", [f"{key}.at.{point}"], point, test.points)
            reader.all_known("tests.toml", [f"{key}.at.{point}", "access"], shape.access, allowed["access"])
    return tests


def _soot_known(
    reader: Reader, soot: SootShape, faults: dict[str, FaultShape], tests: dict[str, TestShape]
) -> None:
    reader.all_known("soot.toml", ["made_by_soot"], soot.made_by_soot, faults)
    for key, cause in soot.causes.items():
        reader.all_known("soot.toml", ["causes", key, "faults"], cause.faults, faults)
        reader.all_known("soot.toml", ["causes", key, "tests"], cause.tests, tests)


def _symptoms(
    reader: Reader,
    faults: dict[str, FaultShape],
    tests: dict[str, TestShape],
    cautions: dict[str, CautionShape],
) -> dict[str, SymptomShape]:
    symptoms: dict[str, SymptomShape] = reader.read("symptoms.toml", dict[str, SymptomShape])
    for key, symptom in symptoms.items():
        reader.all_known("symptoms.toml", [f"{key}.speaks"], symptom.speaks, faults)
        reader.all_known("symptoms.toml", [key, "told_by"], filter(None, [symptom.told_by]), tests)
        reader.all_known("symptoms.toml", [key, "cautions"], symptom.cautions, cautions)
    return symptoms


def _lines(reader: Reader, faults: dict[str, FaultShape]) -> Lines:
    """The states of each line by the fault it has; what is not named is sound."""
    name = "lines.toml"
    lines: Lines = reader.read(name, Lines)
    for part, of_part in lines.items():
        reader.all_known(name, [part], of_part, faults)
        for fault, states in of_part.items():
            if not 0 < sum(states.values()) <= 1 or min(states.values()) < 0:
                raise BadKnowledge(reader.says(name, [part, fault], "chances from 0 to 1, and 1 together"))
            states[SOUND] = 1 - sum(states.values())
    return lines


def _findings(
    reader: Reader,
    weights: _Weights,
    tests: dict[str, TestShape],
    faults: dict[str, FaultShape],
    nodes: dict[str, Node],
    witnesses: dict[str, WitnessShape],
    access: dict[str, AccessShape],
    lines: Lines,
) -> dict[str, list[TestFinding]]:
    findings: dict[str, list[TestFinding]] = {}
    for name in reader.many("findings"):
        for test, given in reader.read(name, dict[str, list[FindingShape]]).items():
            reader.known(name, [test], test, tests)
            for shape in given:
                path = [test, shape.name]
                reader.known(name, [*path, "how"], shape.how, witnesses)
                witness = witnesses[shape.how]
                shows: dict[str, np.ndarray] = {}
                of_line = _by_state(weights, name, path, shape, lines)
                for speaks in shape.speaks:
                    reader.known(name, [test, speaks.fault], speaks.fault, faults)
                    row = weights.row(name, [*path, speaks.fault], shape.outcomes, speaks.shows)
                    if of_line and speaks.fault in lines[shape.part or ""]:
                        row = _of_line(shape.outcomes, row, lines[shape.part or ""][speaks.fault], of_line)
                    if speaks.itself and witness.wrong_share is None:
                        says = f"what is {witness.title} sees nothing itself"
                        raise BadKnowledge(reader.says(name, [*path, speaks.fault, "itself"], says))
                    row = row if shape.how == SEEN_ITSELF or shape.whole else _neighbours(row)
                    shows[speaks.fault] = _direct(row, witness.wrong_share) if speaks.itself else row
                for point in shape.points:
                    reader.known(name, [test, "points"], point, tests[test].points)
                for node in shape.nodes:
                    reader.known(name, [test, "nodes"], node, nodes)
                _hold_told_apart(reader, name, path, shape, tests)
                if shape.unless is not None:
                    before = [known.shape.name for known in findings.get(test, ())]
                    reader.known(name, [*path, "unless"], shape.unless, before)
                reader.all_known(name, [*path, "reach"], shape.reach, access)
                slip = witness.false_alarm / (len(shape.outcomes) - 1)
                common = {
                    outcome: sum(faults[f].per_thousand / 1000 * float(row[at]) for f, row in shows.items())
                    for at, outcome in enumerate(shape.outcomes)
                }
                slips = {o: _slip(witness, slip, common[o]) for o in shape.outcomes[1:]}
                general = weights.row(name, [*path, "general"], shape.outcomes, {**slips, **shape.general})
                if of_line:
                    of_line[SOUND] = general
                well = weights.row(name, [*path, "well"], shape.outcomes, shape.well) if shape.well else None
                finding = Finding(
                    f"{test}.{shape.name}",
                    tuple(shape.outcomes),
                    general,
                    shows=shows,
                    blur=witness.unlisted,
                    well=well,
                )
                lesser = _lesser(weights, name, path, shape, finding)
                reader.all_known(name, [*path, "between"], shape.between, faults)
                reader.all_known(name, [*path, "alike"], shape.alike, faults)
                between_at = [*path, "between"]
                common_between = sum(
                    faults[f].per_thousand / 1000 * weights.chance(name, between_at, given)
                    for f, (given, _) in shape.between.items()
                )
                between = (
                    weights.two(
                        name,
                        between_at,
                        f"{finding.id}.between",
                        _slip(witness, slip, common_between),
                        shape.between,
                    )
                    if shape.between
                    else None
                )
                findings.setdefault(test, []).append(
                    TestFinding(
                        test,
                        shape,
                        witness,
                        finding=finding,
                        lesser=lesser,
                        between=between,
                        file=name,
                        by_state=of_line,
                    )
                )
    return findings


def _shown_by_state(
    weights: _Weights, name: str, path: list[str], sign: SymptomShape | CodeGroupShape, lines: Lines
) -> dict[str, float]:
    """How often a sign shows in each state of its line, sound too."""
    reader = weights.reader
    reader.known(name, [*path, "line"], sign.line, lines)
    states = {s for of_fault in lines[sign.line].values() for s in of_fault} - {SOUND}
    reader.all_known(name, [*path, "by_state"], sign.by_state, states)
    reader.all_known(name, [*path, "by_state"], states, sign.by_state)
    found = {s: weights.chance(name, [*path, "by_state", s], p) for s, p in sign.by_state.items()}
    return {**found, SOUND: weights.chance(name, [*path, "general"], sign.general)}


def _spoken_by_state(
    sign: SymptomShape | CodeGroupShape, lines: Lines, by_state: dict[str, float]
) -> dict[str, tuple[str | float, str]]:
    """What a symptom or a code speaks for, the faults of its line by their states."""
    spoken: dict[str, tuple[str | float, str]] = dict(sign.speaks)
    for fault, states in lines.get(sign.line, {}).items():
        if by_state and fault in spoken:
            spoken[fault] = (sum(p * by_state[s] for s, p in states.items()), spoken[fault][1])
    return spoken


def _by_state(
    weights: _Weights, name: str, path: list[str], shape: FindingShape, lines: Lines
) -> dict[str, np.ndarray]:
    """What a test from afar comes to in each state of its line; empty for all others."""
    if not shape.by_state:
        return {}
    weights.reader.known(name, [*path, "part"], shape.part or "", lines)
    states = {s for of_fault in lines[shape.part or ""].values() for s in of_fault} - {SOUND}
    weights.reader.all_known(name, [*path, "by_state"], shape.by_state, states)
    weights.reader.all_known(name, [*path, "by_state"], states, shape.by_state)
    return {
        state: weights.row(name, [*path, "by_state", state], shape.outcomes, shows)
        for state, shows in shape.by_state.items()
    }


def _of_line(
    outcomes: list[str], row: np.ndarray, states: dict[str, float], by_state: dict[str, np.ndarray]
) -> np.ndarray:
    """The row of a fault of a line: what befalls all lines as written, the rest by the state of the one."""
    of_all = np.array([o.startswith(OF_ALL) for o in outcomes])
    best = np.zeros(len(outcomes))
    best[0] = states.get(SOUND, 0.0)
    one = best + sum(p * by_state[s] for s, p in states.items() if s != SOUND)
    whole = float(row[of_all].sum())
    return np.asarray(np.where(of_all, row, 0.0) + (1 - whole) * one / one.sum())


def _neighbours(row: np.ndarray) -> np.ndarray:
    """A fault that is found bad is at times found bad in another way than is written: marks between ways of
    being bad are judged, and nobody has seen every vehicle. Not where the outcomes name different things."""
    least = NEIGHBOUR_SHARE * float(row[1:].sum())
    spread = np.append(0.0, np.maximum(row[1:], least))
    spread[0] = max(EPSILON, 1 - spread.sum())
    return np.asarray(spread / spread.sum())


def _direct(row: np.ndarray, wrong_share: float | None) -> np.ndarray:
    """What shows of a fault that is looked at itself: it is missed as seldom as such a look is wrong."""
    assert wrong_share is not None
    return np.append(wrong_share, row[1:] / row[1:].sum() * (1 - wrong_share))


def _slip(witness: WitnessShape, slip: float, common: float) -> float:
    """The chance of one bad outcome although nothing stands behind it. Who sees a state directly is wrong in
    a share of what he finds, however rare that state is: the rarer it is, the rarer he says it by mistake."""
    if witness.wrong_share is None or common <= 0:
        return slip
    return min(slip, witness.wrong_share * common)


def _noise(
    weights: _Weights,
    name: str,
    key: str,
    group: CodeGroupShape,
    kinds: set[str],
    faults: dict[str, FaultShape],
    witnesses: dict[str, WitnessShape],
) -> float:
    """How often a code is set although nothing that sets it is wrong. A circuit code is set by the circuit
    itself in most vehicles that bring it, however rare such a fault is."""
    if kinds != {CIRCUIT}:
        return weights.chance(name, [f"groups.{key}"], group.general)
    common = sum(
        faults[f].per_thousand / 1000 * weights.chance(name, [f"groups.{key}", f], given)
        for f, (given, _) in group.speaks.items()
        if f in faults
    )
    general = weights.chance(name, [f"groups.{key}"], group.general)
    return _slip(witnesses[CIRCUIT_CODE], general, common)


def _told(symptom: Finding) -> Finding:
    """A complaint. Who comes in with nothing wrong has one all the same, and one of the common ones."""
    common = float(symptom.general[1]) >= COMMON_COMPLAINT
    return replace(symptom, well=_seen(SOUND_COMPLAINS)) if common else symptom


def _seen(chance: float) -> np.ndarray:
    return np.array([1 - chance, chance])


def _hold_told_apart(
    reader: Reader, name: str, path: list[str], shape: FindingShape, tests: dict[str, TestShape]
) -> None:
    for outcome, apart in shape.told_apart.items():
        at = [*path, "told_apart", outcome]
        reader.known(name, [*at, "by"], apart.by, tests)
        if apart.channel:
            reader.known(name, [*at, "channel"], apart.channel, tests[apart.by].channels)
        reader.all_known(name, at, apart.into.values(), shape.outcomes)


def _lesser(
    weights: _Weights, name: str, path: list[str], shape: FindingShape, finding: Finding
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
    reader: Reader, weights: _Weights, files: dict[str, CodesFile], groups: dict[str, CodeGroupShape]
) -> None:
    """A group of several speaks for whatever one of them speaks for, by the strongest word."""
    for name, file in files.items():
        for key, group in file.groups.items():
            for other in group.of:
                reader.known(name, [f"groups.{key}", "of"], other, groups)
                for fault, (given, because) in groups[other].speaks.items():
                    strong = weights.chance(name, [f"groups.{key}", fault], given)
                    known = group.speaks.get(fault)
                    if known is None or weights.chance(name, [f"groups.{key}", fault], known[0]) < strong:
                        group.speaks[fault] = (given, because)


def _codes(
    reader: Reader,
    weights: _Weights,
    systems: dict[str, str],
    faults: dict[str, FaultShape],
    tests: dict[str, TestShape],
) -> tuple[dict[str, CodeGroupShape], dict[str, CodeEntry], dict[str, str]]:
    files: dict[str, CodesFile] = {name: reader.read(name, CodesFile) for name in reader.many("codes")}
    groups = {key: group for file in files.values() for key, group in file.groups.items()}
    _speak_for_all(reader, weights, files, groups)
    codes: dict[str, CodeEntry] = {}
    for name, file in files.items():
        for key, group in file.groups.items():
            latches = group.latches[:1] if group.latches else ()
            for fault in (*group.speaks, *group.clears, *group.of_all, *latches):
                reader.known(name, [f"groups.{key}", fault], fault, faults)
            reader.all_known(name, [f"groups.{key}", "follows_unless"], group.follows_unless, tests)
            for other in (*group.refined.values(), *group.follows):
                reader.known(name, [f"groups.{key}"], other, groups)
        listed = [
            CodeEntry(code, title, system, kind, group)
            for code, (system, kind, group, title) in file.codes.items()
        ]
        listed += [code for family in file.families for code in _family(family)]
        for code in listed:
            reader.known(name, [code.code], code.group, groups)
            reader.known(name, [code.code], code.system, systems)
            if code.code in codes:
                raise BadKnowledge(reader.says(name, [code.code], "the code stands twice"))
            codes[code.code] = code
    return groups, codes, {key: name for name, file in files.items() for key in file.groups}


def _family(family: CodeFamilyShape) -> list[CodeEntry]:
    first = int(family.first[1:])
    last = int(family.last[1:])
    return [
        CodeEntry(
            f"{family.first[0]}{number:04d}",
            family.title.replace("{n}", str(family.starts_at + i)),
            family.system,
            kind=family.kind,
            group=family.group,
            cylinder=family.starts_at + i if "cylinder {n}" in family.title.lower() else None,
        )
        for i, number in enumerate(range(first, last + 1, family.step))
    ]
