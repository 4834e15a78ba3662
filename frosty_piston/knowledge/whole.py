"""Whether the knowledge is whole: every fault can be found, every outcome of every test speaks for
something."""

from collections.abc import Callable
from typing import TYPE_CHECKING

from frosty_piston.core.errors import BadKnowledge

if TYPE_CHECKING:
    from .load import Knowledge, TestFinding

FOUND_BITS_RATIO = 3.0
SPEAKS_RATIO = 1.4


def whole(k: "Knowledge", says: Callable[[str, list[str], str], str]) -> None:
    """Refuse knowledge with a gap. `says` names file, line and key of what is wrong."""
    for fault in k.faults:
        file = f"faults/{k.fault_system[fault]}.toml"
        if not proving_tests(k, fault):
            raise BadKnowledge(
                says(
                    file,
                    [fault],
                    "no test can find this fault; give it an outcome in findings/ that is at least"
                    f" {FOUND_BITS_RATIO:g} times as likely with it",
                )
            )
        if not any(fault in symptom.speaks for symptom in k.symptoms.values()):
            raise BadKnowledge(says(file, [fault], "no symptom in symptoms.toml speaks for this fault"))
        if fault not in k.part_of:
            raise BadKnowledge(says(file, [fault], "the fault stands at no part of plan.toml"))
    at_parts = {test for part in k.parts.values() for test in part.tests}
    for test, shape in k.tests.items():
        findings = k.findings.get(test)
        if test not in at_parts:
            raise BadKnowledge(says("tests.toml", [test], "the test stands at no part of plan.toml"))
        if not findings:
            raise BadKnowledge(
                says("tests.toml", [test], "no finding in findings/ says what this test speaks for")
            )
        for known in findings:
            for outcome in known.finding.outcomes:
                if not speaks(known, outcome):
                    raise BadKnowledge(
                        says(
                            known.file,
                            [test, known.shape.name, outcome],
                            f"the outcome {outcome!r} speaks for nothing",
                        )
                    )
        named = {o for known in findings for o in known.finding.outcomes}
        for outcome, verdict in shape.outcomes.items():
            if shape.plain and verdict != "unclear" and outcome not in named:
                raise BadKnowledge(
                    says("tests.toml", [test, outcome], f"the outcome {outcome!r} stands in no finding")
                )


def proving_tests(k: "Knowledge", fault: str) -> list[tuple[str, "TestFinding", str, float]]:
    """The tests that can find a fault: test, finding, its most telling outcome, and how many times likelier
    it is."""
    found = []
    for test, findings in k.findings.items():
        for known in findings:
            row = known.finding.shows.get(fault)
            if row is None:
                continue
            ratios = row[1:] / known.finding.general[1:]
            at = int((ratios * (row[1:] > 0.05)).argmax())
            if ratios[at] >= FOUND_BITS_RATIO and row[at + 1] > 0.05:
                found.append((test, known, known.finding.outcomes[at + 1], float(ratios[at])))
    return sorted(found, key=lambda x: -x[3])


def speaks(known: "TestFinding", outcome: str) -> bool:
    """Whether an outcome moves anything: a bad one some fault up, the best one some fault down."""
    at = known.finding.outcomes.index(outcome)
    general = known.finding.general[at]
    if at == 0:
        return any(row[0] < general / SPEAKS_RATIO for row in known.finding.shows.values())
    return any(row[at] > general * SPEAKS_RATIO for row in known.finding.shows.values())
