"""What the second half of a job will hold, before anything is picked: the plan and the proof of the likeliest
repair."""

from dataclasses import dataclass, replace

from frosty_piston.job.assessment import Assessed
from frosty_piston.job.entries import Action, Entry
from frosty_piston.knowledge.repairs import Repair

from .prove import Proof, prove

DRAFT = "ahead"


@dataclass(frozen=True)
class Ahead:
    """The repair that would come next as things stand: what it is for, how sure that is, what would prove
    it."""

    repair: Repair
    fault: str
    odds: float
    proof: Proof


def ahead(assessed: Assessed) -> Ahead | None:
    """None while nothing is suspected. The proof is worked out as if the repair had just been done."""
    if not assessed.evidence:
        return None
    found = next(
        ((s, r) for s in assessed.suspicion.suspects[:-1] if (r := _cure(assessed, s.fault)) is not None),
        None,
    )
    if found is None:
        return None
    suspect, repair = found
    done = Entry(DRAFT, "action", None, None, Action(action="replaced", what=repair.title, repair=repair.id))
    job = replace(assessed.job, tape=(*assessed.job.tape, done))
    proof = prove(Assessed(job, assessed.knowledge, assessed.experience))
    return Ahead(repair, suspect.title, suspect.probability, proof)


def _cure(assessed: Assessed, fault: str) -> Repair | None:
    knowledge = assessed.knowledge
    return knowledge.repairs.get(knowledge.repair_of.get(fault, ""))
