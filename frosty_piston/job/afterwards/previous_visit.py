"""The same vehicle again: what was done at the visit before, where hands were, and whether the codes of now
have anything to do with it."""

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime

from frosty_piston.core.quantity import percent
from frosty_piston.core.words import inside, listed
from frosty_piston.job.assessment import Assessed
from frosty_piston.job.entries import Code, FitStep
from frosty_piston.job.repair.contacts import opened
from frosty_piston.job.repair.prove import Proof

SUSPECT_FROM = 0.05
POINTS_FROM = 0.3
MOST_NAMED = 4


@dataclass(frozen=True)
class Then:
    """One thing done at the visit before: in words, by whom, when."""

    what: str
    by: str
    at: datetime | None


@dataclass(frozen=True)
class CodeNow:
    """A code of this visit held against the one before: `same` (it was there, or points at what was a suspect
    then), `consequence` (it points where hands were, or at what the old fault kills), `new`; and why."""

    code: str
    title: str
    how: str
    because: str


@dataclass(frozen=True)
class Again:
    """The visit before this one, as it bears on this one. `proven`: how proven it left; `suspects`: what may
    have been wrong then, likeliest first, with its odds."""

    done: tuple[Then, ...]
    hands: tuple[str, ...]
    suspects: tuple[tuple[str, float], ...]
    proven: str
    codes: tuple[CodeNow, ...]
    said: str


def visit_before(before: Assessed, proof: Proof, now: Assessed) -> Again:
    """Return what the visit before says of this one: both jobs of the same vehicle, `proof` that of the
    first."""
    knowledge = before.knowledge
    job = before.job
    suspicion = before.suspicion
    odds = {f: max(suspicion.odds(f), suspicion.at_repair(f) or 0.0) for f in suspicion.space.faults}
    old = {f: p for f, p in odds.items() if p >= SUSPECT_FROM}
    parts = dict.fromkeys(_hands(before))
    codes = tuple(_held(before, now, old, set(parts)))
    done = tuple(Then(x.data.what, x.by or "", x.at) for x in job.acts)
    likely = sorted(old.items(), key=lambda row: -row[1])[:MOST_NAMED]
    return Again(
        done,
        tuple(knowledge.parts[p].title for p in parts if p in knowledge.parts),
        tuple((knowledge.faults[f].title, p) for f, p in likely),
        proven=proof.word,
        codes=codes,
        said=_said(codes),
    )


def _hands(before: Assessed) -> Iterator[str]:
    """The parts that were worked on, opened or unplugged."""
    knowledge = before.knowledge
    job = before.job
    plans = {x.data.plan for x in job.of(FitStep)} | {x.data.repair for x in job.acts}
    for repair in sorted(plans & set(knowledge.repairs)):
        yield from (knowledge.faults[f].part for f in knowledge.repairs[repair].cures)
    yield from (knowledge.nodes[o.node].part for o in opened(before))


def _held(before: Assessed, now: Assessed, old: dict[str, float], parts: set[str]) -> Iterator[CodeNow]:
    knowledge = now.knowledge
    known = {x.data.code.upper().split("-")[0] for x in before.job.of(Code)}
    mended = {f for s in before.suspicion.chain if s.done and s.done.is_repair for f in s.done.cures}
    for code in now.codes:
        if code.place not in ("bears", "unknown"):
            continue
        shows = knowledge.group_findings[code.group].shows if code.group else {}
        points = {f for f, row in shows.items() if row[1] >= POINTS_FROM}
        shared = sorted(points & set(old), key=lambda f: -old[f])
        killed = [
            (point, by)
            for point in sorted(points)
            for by in knowledge.faults[point].killed_by
            if by in old or by in mended
        ]
        near = sorted(knowledge.parts[p].title for p in {knowledge.faults[f].part for f in points} & parts)
        if code.code in known:
            how = "same"
            why = "it was there at the visit before"
        elif shared:
            how = "same"
            why = f"it points at {inside(knowledge.faults[shared[0]].title)}, {percent(old[shared[0]])} then"
        elif near:
            how = "consequence"
            why = f"hands were there: {inside(listed(near))}"
        elif killed:
            fault, by = (inside(knowledge.faults[f].title) for f in killed[0])
            how = "consequence"
            why = f"{by} can bring {fault}"
        else:
            how = "new"
            why = "nothing that was wrong or touched then brings it"
        yield CodeNow(code.code, code.title, how, why)


def _said(codes: tuple[CodeNow, ...]) -> str:
    """What the codes come to, in one sentence."""
    if not codes:
        return "Read the codes: then it shows whether this is the same fault, a consequence, or a new one."
    hows = {c.how for c in codes}
    if "same" in hows:
        return "Likely the same fault: what was done then did not cure it, or not all of it."
    if "consequence" in hows:
        return "Likely a consequence: look first where hands were."
    return "A new fault, by its codes."
