"""What made the soot: asked before the vehicle leaves, when a fault that soot makes was repaired."""

from dataclasses import dataclass

from frosty_piston.core.quantity import percent
from frosty_piston.core.words import inside, spoken
from frosty_piston.job.assessment import Assessed
from frosty_piston.job.entries import SootCause
from frosty_piston.knowledge.shapes import SootCauseShape

WORTH_SAYING = 0.05
MOSTLY = 0.5


@dataclass(frozen=True, slots=True)
class CauseState:
    """A cause of soot on this job: `found`, `not_found` or `open`, and what the evidence says of it."""

    id: str
    shape: SootCauseShape
    state: str
    because: str


def soot_was_it(assessed: Assessed) -> bool:
    """Whether what was repaired was most likely closed by soot: a broken wire of the same part was not."""
    knowledge = assessed.knowledge
    suspicion = assessed.suspicion
    for time in suspicion.chain:
        if time.done is None or time.before is None or not time.done.is_repair:
            continue
        stood = {
            cure: time.before.odds(cure)
            for cure in knowledge.repairs[time.done.entry.data.repair].cures
            if cure in suspicion.space.place
        }
        if sum(p for f, p in stood.items() if f in knowledge.soot.made_by_soot) > MOSTLY * max(
            sum(stood.values()), 1e-9
        ):
            return True
    return False


def soot_causes(assessed: Assessed) -> tuple[CauseState, ...]:
    """The causes to ask about, empty when soot was not the cause. What was said last counts."""
    knowledge = assessed.knowledge
    job = assessed.job
    if not soot_was_it(assessed):
        return ()
    said = {x.data.cause: "found" if x.data.found else "not_found" for x in job.of(SootCause)}
    causes = []
    for key, shape in knowledge.soot.causes.items():
        tested = [
            verdict
            for verdict in assessed.now
            if verdict.test in shape.tests and verdict.judgement.verdict in ("sound", "failed", "marginal")
        ]
        odds = [assessed.found.odds(f) for f in shape.faults if f in assessed.found.space.place]
        likely = max(odds, default=0.0)
        because = (
            f"{knowledge.tests[tested[-1].test].title}: {spoken(tested[-1].judgement.cls)}." if tested else ""
        )
        because = because or (
            f"Stood at {percent(likely)} before the repair." if likely >= WORTH_SAYING else ""
        )
        causes.append(CauseState(key, shape, said.get(key, "open"), because))
    return tuple(causes)


def soot_says(assessed: Assessed) -> str:
    """The line of the report: the cause that was found, or that none was; empty when it is not asked here."""
    causes = soot_causes(assessed)
    if not causes:
        return ""
    open_causes = [c for c in causes if c.state == "found"]
    unasked = [c for c in causes if c.state == "open"]
    named = ", ".join(f"{inside(c.shape.title)}, {c.shape.why}" for c in open_causes)
    says = f"What made the soot: {named}." if open_causes else "What made the soot: none found."
    return says + (f" Not asked: {', '.join(inside(c.shape.title) for c in unasked)}." if unasked else "")
