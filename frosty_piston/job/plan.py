"""The plan of the engine: what is suspected and what is cleared at each part, to the cylinder."""

import re
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from frosty_piston.knowledge import Knowledge
from frosty_piston.knowledge.parts import Part

from .assessment import Assessed
from .judging.result import Result, latest_of_each
from .weighing.suspicion import Suspect

CLEARED_BELOW = 0.03
CODE_SPEAKS = 0.3
WORST_FIRST = ("failed", "implausible", "marginal", "unclear", "sound")
WARMTHS = (0.05, 0.2, 0.45, 0.7)
KNOWN_BAD = 4
MARGINAL = 2
_CYLINDER = re.compile(r"cylinder (\d+)")


@dataclass(frozen=True)
class PartState:
    """One part as it stands. `warmth` 0 to 4; `verdict` the worst of its tests, "" when none was made;
    `codes` those that point at it; `on_card` False while the card does not say whether it is fitted; `test`,
    `node`, `point`: what to open.
    """

    id: str
    title: str
    odds: float
    warmth: int
    cleared: bool
    verdict: str
    codes: tuple[str, ...]
    on_card: bool
    suspects: tuple[Suspect, ...]
    tests: tuple[str, ...]
    test: str
    node: str
    point: str
    cylinders: tuple["CylinderState", ...] = ()


@dataclass(frozen=True)
class CylinderState:
    """A part of one cylinder: plug or injector."""

    number: int
    warmth: int
    cleared: bool
    verdict: str
    codes: tuple[str, ...]


def warmth(odds: float) -> int:
    """Five steps from cold to ember."""
    return sum(odds >= limit for limit in WARMTHS)


def plan(assessed: Assessed) -> list[PartState]:
    """Every part at which something can be wrong on this engine card, in the order of the knowledge file."""
    knowledge = assessed.knowledge
    # Before there is evidence nothing is suspected: what is only common must not look like a finding.
    odds = part_odds(assessed) if assessed.evidence else dict.fromkeys(knowledge.parts, 0.0)
    by_fault = {s.fault: s for s in assessed.suspicion.suspects}
    states = []
    for key, part in knowledge.parts.items():
        faults = [f for f in part.faults if f in by_fault]
        if faults:
            states.append(
                _state(
                    assessed,
                    key,
                    part,
                    odds[key],
                    tuple(sorted((by_fault[f] for f in faults), key=lambda s: -s.probability)),
                )
            )
    return states


def part_odds(assessed: Assessed) -> dict[str, float]:
    """The chance that something is wrong at each part, exactly: faults of one part in one set count once."""
    knowledge = assessed.knowledge
    suspicion = assessed.suspicion
    names = list(knowledge.parts)
    number = np.array(
        [names.index(knowledge.faults[f].part) for f in suspicion.space.faults] + [len(names), len(names)]
    )
    held = number[suspicion.space.held]
    sets = suspicion.weighed.sets
    total = np.zeros(len(names) + 1)
    for column in range(held.shape[1]):
        again = np.any(held[:, :column] == held[:, column : column + 1], axis=1)
        total += np.bincount(held[:, column], weights=np.where(again, 0.0, sets), minlength=len(total))
    return {name: float(p) for name, p in zip(names, total, strict=False)}


def _state(assessed: Assessed, key: str, part: Part, odds: float, suspects: tuple[Suspect, ...]) -> PartState:
    knowledge = assessed.knowledge
    engine = assessed.job.engine
    mine = [v for v in _since_mended(assessed, part) if _at(knowledge, key, part, v)]
    codes = _codes(assessed, part)
    verdict = _worst(mine)
    cleared = odds < CLEARED_BELOW and verdict == "sound"
    tests = tuple(t for t in part.tests if not engine.rules_out(knowledge.tests[t].needs))
    test, node, point = _first_test(assessed, key, tests)
    on_card = all(
        getattr(engine, field) is not None for f in suspects for field in knowledge.faults[f.fault].needs
    )
    warm = warmth(odds)
    return PartState(
        key,
        part.title,
        odds,
        warmth=warm,
        cleared=cleared,
        verdict=verdict,
        codes=tuple(codes),
        on_card=on_card,
        suspects=suspects,
        tests=tests,
        test=test,
        node=node,
        point=point,
        cylinders=_cylinders(assessed, mine, codes, warm, cleared) if part.cylinder else (),
    )


def _since_mended(assessed: Assessed, part: Part) -> list[Result]:
    """The verdicts that still speak of a part: what was read before it was mended no longer does."""
    times = [n + 1 for n in range(len(assessed.job.acts)) if set(assessed.done(n).cures) & set(part.faults)]
    return latest_of_each(assessed.judged[max(times, default=0) :])


def _at(knowledge: Knowledge, key: str, part: Part, verdict: Result) -> bool:
    """Whether a verdict was found at this part: by the part it names, else by test and channel."""
    node = knowledge.node(str(verdict.where["node"])) if "node" in verdict.where else None
    if node:
        return knowledge.nodes[node].part == key
    channels = part.readings.get(verdict.test)
    return verdict.test in part.tests and (channels is None or verdict.where.get("channel") in channels)


def _worst(verdicts: Iterable[Result]) -> str:
    seen = {v.judgement.verdict for v in verdicts}
    return next((name for name in WORST_FIRST if name in seen), "")


def _codes(assessed: Assessed, part: Part) -> dict[str, int | None]:
    """The codes that point strongly at a part, each with the cylinder it names."""
    pointing: dict[str, int | None] = {}
    for code in assessed.codes:
        if code.place == "bears":
            row = assessed.knowledge.group_findings[code.group].shows
            if any(f in row and row[f][1] >= CODE_SPEAKS for f in part.faults):
                named = _CYLINDER.search(code.title)
                pointing[code.code] = int(named[1]) if named else None
    return pointing


def _cylinders(
    assessed: Assessed, mine: list[Result], codes: dict[str, int | None], warm: int, cleared: bool
) -> tuple[CylinderState, ...]:
    """Each cylinder by what was found on it; where one is known to be bad, the others cool down."""
    named = {n for n in codes.values() if n}
    bad = {v.where.get("cylinder") for v in mine if v.judgement.verdict in ("failed", "marginal")}
    cylinders = []
    for number in range(1, assessed.job.cylinders + 1):
        verdict = _worst(v for v in mine if v.where.get("cylinder") == number)
        own = tuple(c for c, at in codes.items() if at == number)
        if verdict == "failed":
            heat = KNOWN_BAD
        elif verdict == "marginal":
            heat = MARGINAL
        elif verdict == "sound" or bad or (named and number not in named):
            heat = 0
        else:
            heat = warm
        cylinders.append(
            CylinderState(
                number,
                max(heat, MARGINAL if own and verdict != "sound" else 0),
                cleared or verdict == "sound",
                verdict,
                own,
            )
        )
    return tuple(cylinders)


def _first_test(assessed: Assessed, key: str, tests: tuple[str, ...]) -> tuple[str, str, str]:
    """What a press on the part opens: the best proposal made at it, else its first test."""
    knowledge = assessed.knowledge
    nodes = [n for n, shape in knowledge.nodes.items() if shape.part == key]
    for n in assessed.proposals.next_tests:
        node = n.where.get("node", "")
        if n.test in tests and (not node or node in nodes):
            return n.test, node, n.where.get("point", "")
    first = tests[0] if tests else ""
    return first, nodes[0] if nodes and first and "node" in knowledge.tests[first].where else "", ""
