"""What made the soot: asked after every repair of a part that soot has closed."""

from dataclasses import dataclass

from frosty_piston.core.quantity import percent
from frosty_piston.knowledge.shapes import SootCauseShape

from .assessment import Assessed

WORTH_SAYING = 0.05


@dataclass(frozen=True, slots=True)
class CauseState:
    """A cause of soot on this job: `found`, `not_found` or `open`, and what the evidence says of it."""

    id: str
    shape: SootCauseShape
    state: str
    because: str


def soot_causes(assessed: Assessed) -> tuple[CauseState, ...]:
    """The causes to ask about, empty when no repair of a part that soot closes was done. What was said last counts."""
    k, job = assessed.knowledge, assessed.job
    if not any(x.data.repair in k.soot.repairs for x in job.repairs):
        return ()
    said = {x.data.cause: "found" if x.data.found else "not_found" for x in job.of("soot_cause")}
    odds = {s.fault: s.probability for s in assessed.suspicion.suspects}
    found = []
    for key, shape in k.soot.causes.items():
        tested = [v for v in assessed.now if v.test in shape.tests and v.judgement.verdict in ("sound", "failed", "marginal")]
        likely = max((odds.get(f, 0.0) for f in shape.faults), default=0.0)
        because = f"{k.tests[tested[-1].test].title}: {tested[-1].judgement.cls.replace('_', ' ')}." if tested else f"Stands at {percent(likely)} on the heat list." if likely >= WORTH_SAYING else ""
        found.append(CauseState(key, shape, said.get(key, "open"), because))
    return tuple(found)


def _inside(title: str) -> str:
    """A title inside a sentence; a short form keeps its capitals."""
    return title if title[1:2].isupper() else title[0].lower() + title[1:]


def soot_says(assessed: Assessed) -> str:
    """The line of the report: the cause that was found, or that none was; empty when it is not asked here."""
    causes = soot_causes(assessed)
    if not causes:
        return ""
    found, unasked = [c for c in causes if c.state == "found"], [c for c in causes if c.state == "open"]
    says = f"What made the soot: {', '.join(f'{_inside(c.shape.title)}, {c.shape.why}' for c in found)}." if found else "What made the soot: none found."
    return says + (f" Not asked: {', '.join(_inside(c.shape.title) for c in unasked)}." if unasked else "")
