"""Whether the knowledge is whole: every fault can be found, every outcome of every test speaks for
something."""

from collections.abc import Callable

from frosty_piston.core.errors import BadKnowledge

from .finding import TestFinding
from .model import Knowledge

FOUND_BITS_RATIO = 3.0
SPEAKS_RATIO = 1.4
RULES_OUT_RATIO = 2.0


Says = Callable[[str, list[str], str], str]


def check_complete(knowledge: Knowledge, says: Says) -> None:
    """Refuse knowledge with a gap. `says` names file, line and key of what is wrong."""
    for fault in knowledge.faults:
        if gap := _gap_of_fault(knowledge, fault):
            raise BadKnowledge(says(f"faults/{knowledge.fault_system[fault]}.toml", [fault], gap))
    for test in knowledge.tests:
        _speaking(knowledge, test, says)


def _gap_of_fault(knowledge: Knowledge, fault: str) -> str:
    if not proving_tests(knowledge, fault):
        times = f"at least {FOUND_BITS_RATIO:g} times as likely with it"
        return f"no test can find this fault; give it an outcome in findings/ that is {times}"
    if not any(fault in symptom.speaks for symptom in knowledge.symptoms.values()):
        return "no symptom in symptoms.toml speaks for this fault"
    return ""


def rules_out(known: TestFinding, at: int) -> bool:
    """Whether an outcome rules out a state of the line at which the test looks."""
    return any(row[at] * RULES_OUT_RATIO < known.finding.general[at] for row in known.by_state.values())


def _speaking(knowledge: Knowledge, test: str, says: Says) -> None:
    """Every outcome of a test stands in a finding and speaks for something."""
    findings = knowledge.findings.get(test)
    if not findings:
        raise BadKnowledge(
            says("tests.toml", [test], "no finding in findings/ says what this test speaks for")
        )
    for known in findings:
        for at, outcome in enumerate(known.finding.outcomes):
            if not speaks(known, outcome) and not rules_out(known, at):
                path = [test, known.shape.name, outcome]
                raise BadKnowledge(says(known.file, path, f"the outcome {outcome!r} speaks for nothing"))
    shape = knowledge.tests[test]
    named = {o for known in findings for o in known.finding.outcomes}
    for outcome, verdict in shape.outcomes.items():
        if shape.plain and verdict != "unclear" and outcome not in named:
            path = [test, outcome]
            raise BadKnowledge(says("tests.toml", path, f"the outcome {outcome!r} stands in no finding"))


def proving_tests(knowledge: Knowledge, fault: str) -> list[tuple[str, TestFinding, str, float]]:
    """The tests that can find a fault: test, finding, its most telling outcome, and how many times likelier
    it is."""
    pairs = []
    for test, findings in knowledge.findings.items():
        for known in findings:
            row = known.finding.shows.get(fault)
            if row is None:
                continue
            ratios = row[1:] / known.finding.general[1:]
            at = int((ratios * (row[1:] > 0.05)).argmax())
            if ratios[at] >= FOUND_BITS_RATIO and row[at + 1] > 0.05:
                pairs.append((test, known, known.finding.outcomes[at + 1], float(ratios[at])))
    return sorted(pairs, key=lambda x: -x[3])


def speaks(known: TestFinding, outcome: str) -> bool:
    """Whether an outcome moves anything: a bad one some fault up, the best one some fault down."""
    at = known.finding.outcomes.index(outcome)
    general = known.finding.general[at]
    if at == 0:
        return any(row[0] < general / SPEAKS_RATIO for row in known.finding.shows.values())
    return any(row[at] > general * SPEAKS_RATIO for row in known.finding.shows.values())
