"""From a job to evidence: what was seen, how fully, and what the knowledge files say it speaks for."""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from frosty_piston.core.codes import decode
from frosty_piston.core.suspects.space import Finding, Space, outcome_chances
from frosty_piston.knowledge import Knowledge
from frosty_piston.knowledge.load import NOT_SEEN, SEEN, TestFinding

from .tape import Job
from .verdicts import Verdict, place


@dataclass(frozen=True)
class Evidence:
    """One piece of evidence: what it says, the entries it rests on, its outcome and how fully it counts (0..1).

    `reasons`: the knowledge's because for each fault it is about. `factors`: for context, how many times
    likelier each fault becomes; then `finding` is None.
    """

    says: str
    entries: tuple[str, ...]
    finding: Finding | None
    outcome: str
    weight: float
    reasons: dict[str, str]
    factors: dict[str, float] | None = None

    def log_likelihood(self, space: Space) -> np.ndarray:
        """How likely each set of faults makes this, in logs, tempered by how fully it was measured."""
        if self.factors is not None:
            moves = np.array([self.factors.get(name, 1.0) for name in space.names])
            return space.members @ np.log(moves)
        assert self.finding is not None
        return self.weight * np.log(chances(space, self.finding)[:, self.finding.outcomes.index(self.outcome)])


@lru_cache(maxsize=2048)
def chances(space: Space, finding: Finding) -> np.ndarray:
    """How likely each set makes each outcome; worked out once for each engine and finding."""
    return outcome_chances(space, finding)


def gather(job: Job, k: Knowledge, verdicts: list[Verdict]) -> list[Evidence]:
    """Gather all evidence of the diagnosis; `verdicts` are those of its entries."""
    return [*_symptoms(job, k), *_contexts(job, k), *_codes(job, k), *_repairs_in_vain(job, k), *_tests(job, k, verdicts)]


def _symptoms(job: Job, k: Knowledge) -> list[Evidence]:
    found = []
    for name, entry in job.symptoms.items():
        shape = k.symptoms[name]
        outcome = SEEN if entry.data.present else NOT_SEEN
        says = shape.title if entry.data.present else f"Not so: {shape.title[0].lower()}{shape.title[1:]}"
        found.append(Evidence(says, (entry.id,), k.symptom_findings[name], outcome, 1.0, {f: b for f, (_, b) in shape.speaks.items()}))
    return found


def _contexts(job: Job, k: Knowledge) -> list[Evidence]:
    return [Evidence(k.contexts[name].title, (entry.id,), None, "", 1.0, {f: b for f, (_, b) in k.contexts[name].moves.items()},
                     {f: n for f, (n, _) in k.contexts[name].moves.items()})
            for name, entry in job.contexts.items() if k.contexts[name].moves]


def _codes(job: Job, k: Knowledge) -> list[Evidence]:
    """Codes of one group are one witness. That a group is absent counts only after a full read-out, at half
    weight, since not every control unit watches everything, and not at all when codes were cleared before."""
    seen: dict[str, list[tuple[str, str]]] = {}
    for entry in job.rounds.diagnosis:
        if entry.kind == "code":
            code = decode(entry.data.code).code
            if code in k.codes:
                seen.setdefault(k.codes[code].group, []).append((entry.id, code))
    found = []
    for group, hits in seen.items():
        codes = ", ".join(dict.fromkeys(c for _, c in hits))
        found.append(Evidence(f"{codes}: {k.groups[group].title[0].lower()}{k.groups[group].title[1:]}", tuple(i for i, _ in hits), k.group_findings[group], SEEN, 1.0,
                              {f: b for f, (_, b) in k.groups[group].speaks.items()}))
        if cleared := k.groups[group].clears:
            found.append(Evidence(f"{codes} was set by a module that works", tuple(i for i, _ in hits), None, "", 1.0, {f: b for f, (_, b) in cleared.items()},
                                  {f: n for f, (n, _) in cleared.items()}))
    scan = next((x for x in job.rounds.diagnosis if x.kind == "code_scan"), None)
    if scan and not job.codes_lost and job.engine.injection not in ("inline_pump", "rotary_pump"):
        for group, shape in k.groups.items():
            if group not in seen and shape.speaks:
                found.append(Evidence(f"No code of: {shape.title[0].lower()}{shape.title[1:]}", (scan.id,), k.group_findings[group], NOT_SEEN, 0.5, {}))
    return found


def _repairs_in_vain(job: Job, k: Knowledge) -> list[Evidence]:
    found = []
    for repair in job.rounds.repaired_in_vain:
        faults = [f for f, shape in k.faults.items() if shape.repair == repair]
        acts = tuple(x.id for x in job.repairs if x.data.repair == repair)
        found.append(Evidence("Repaired already, and the proof failed", acts, None, "", 1.0, dict.fromkeys(faults, "this was repaired and it is no better"), dict.fromkeys(faults, 0.08)))
    return found


def _tests(job: Job, k: Knowledge, verdicts: list[Verdict]) -> list[Evidence]:
    found = []
    for test, findings in k.findings.items():
        of_test = [v for v in verdicts if v.test == test]
        for known in findings if of_test else []:
            here = [v for v in of_test if not known.shape.points or v.where.get("point") in known.shape.points]
            got = aggregate(job, known, here, verdicts)
            if got is None:
                continue
            outcome, weight, entries = got
            reasons = {s.fault: s.because for s in known.shape.speaks}
            found.append(Evidence(_in_words(k, known, outcome, weight, here), entries, known.finding, outcome, weight, reasons))
            found += _lesser(k, known, outcome, here, reasons)
    return found


def _lesser(k: Knowledge, known: TestFinding, worst: str, here: list[Verdict], reasons: dict[str, str]) -> list[Evidence]:
    """What the worst outcome hides: a tired plug beside an open one still speaks for tired plugs, as a yes or no."""
    seen: dict[str, list[Verdict]] = {}
    for v in here:
        name = _class_in(known, v)
        if name and name != worst.removeprefix("all_") and v.judgement.verdict in ("failed", "marginal"):
            seen.setdefault(name, []).append(v)
    return [Evidence(_in_words(k, known, name, 1.0, verdicts), tuple(i for v in verdicts for i in v.entries), known.lesser[name], SEEN, 1.0, reasons)
            for name, verdicts in seen.items()]


def _class_in(known: TestFinding, verdict: Verdict) -> str | None:
    j = verdict.judgement
    return next((name for name in (j.cls, j.verdict) if name in known.shape.outcomes), None)


def aggregate(job: Job, known: TestFinding, here: list[Verdict], everything: list[Verdict]) -> tuple[str, float, tuple[str, ...]] | None:
    """Answer the one outcome a test shows over all its places, how fully it counts, and the entries.

    The worst of the places decides. `all_<class>` stands for a whole set of that class. A good outcome counts
    for the share of the places that had to be looked at; a bad one in full. Unclear readings say nothing.
    """
    classes = [(c, v) for v in here if (c := _class_in(known, v))]
    if not classes:
        return None
    outcomes = known.shape.outcomes
    worst = max((c for c, _ in classes), key=outcomes.index)
    total = any(v.where.get("point") == "total" for _, v in classes)
    places = {v.where.get("cylinder") for _, v in classes}
    if f"all_{worst}" in outcomes and (len(places) >= max(2, job.cylinders)) and all(c == worst for c, _ in classes):
        worst = f"all_{worst}"
    deciding = [v for c, v in classes if c == worst or worst == f"all_{c}"]
    entries = tuple(dict.fromkeys(i for v in deciding for i in v.entries))
    if any(v.judgement.verdict in ("failed", "marginal") for v in deciding) or total:
        return worst, 1.0, entries
    return worst, _coverage(job, known, places, {v.where.get("point") for _, v in classes}, everything), entries


def _coverage(job: Job, known: TestFinding, cylinders: set[object], points: set[object], everything: list[Verdict]) -> float:
    if known.shape.covers == "batteries":
        return min(1.0, len(points) / (job.engine.batteries or 1))
    if known.shape.covers is None:
        return 1.0
    condemned = {v.where.get("cylinder") for v in everything
                 if v.test in ("glow_resistance", "glow_lamp_test", "glow_current") and v.judgement.verdict == "failed" and v.where.get("point") != "plug"} - {None}
    if condemned and (known.shape.points == ["plug"] or known.shape.covers == "suspect_plugs"):
        return len(cylinders & condemned) / len(condemned)
    return min(1.0, len(cylinders) / job.cylinders)


def _in_words(k: Knowledge, known: TestFinding, outcome: str, weight: float, here: list[Verdict]) -> str:
    title = k.tests[known.test].title
    bad = [(v, c) for v in here if v.judgement.verdict in ("failed", "marginal") and (c := _class_in(known, v))]
    word = _plain_word(outcome)
    if outcome.startswith("all_"):
        return f"{title}: every plug {word}"
    if bad:
        by_cylinder = {int(str(v.where["cylinder"])): _plain_word(c) for v, c in bad if "cylinder" in v.where}
        if by_cylinder:
            where = f" {known.shape.name}" if known.shape.points else ""
            return f"{title.split(',')[0]}{where}: cylinder {', '.join(f'{n} {c}' for n, c in sorted(by_cylinder.items()))}"
        spots = ", ".join(filter(None, (place(v) for v, _ in bad)))
        return f"{title}: {word}" + (f" ({spots})" if spots and spots != "relay" else "")
    part = "" if weight > 0.99 else f", {round(weight * 100)} % of what must be read"
    return f"{title}: {word}{part}"


def _plain_word(outcome: str) -> str:
    return outcome.removeprefix("all_").removeprefix("glow_").replace("_", " ")
