"""From a job to evidence: what was seen, how fully, and what the knowledge files say it speaks for."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from threading import Lock

import numpy as np

from frosty_piston.core.freeze_frame import moment_of
from frosty_piston.core.quantity import percent, plain
from frosty_piston.core.starting import DIRECT, StartEngine, StartLimits, start_chance
from frosty_piston.core.suspects.space import Finding, Space, log_chance
from frosty_piston.core.words import inside
from frosty_piston.job.afterwards.experience import Experience, capped_times
from frosty_piston.job.entries import CodeScan, History
from frosty_piston.job.judging.result import Result, place
from frosty_piston.job.tape.fold import Job
from frosty_piston.job.units import convert
from frosty_piston.knowledge import Knowledge
from frosty_piston.knowledge.finding import NOT_SEEN, SEEN, TestFinding

from .codes_seen import ENGINE_WORDS, CodeSeen
from .own_odds import capped

ABSENT_WEIGHT = 0.5
CONSEQUENCE_WEIGHT = 0.3
RULED_OUT_WEIGHT = 0.9
CLEARS_OTHERS = "it clears others"
OTHERS_BRING_IT = "others bring it more often"
NOT_ITS_WORK = "it does not bring this"
KEPT_ROWS = 120
# A renewed part is trusted for two years, and fresh hands are felt for two months; no time said: some months.
HOLDS_DAYS = 730.0
FRESH_DAYS = 60.0
SOME_DAYS = 200.0
RENEWED = 0.5
NO_HELP = 0.35
HANDS = "recent_repair_same_system"
_KEEPING = Lock()
DECIDES = ("sound", "failed")
MISSES_HEAT = ("no_start_cold", "hard_start_cold", "rough_idle_cold", "white_smoke_start")
LEAST_NEED = 0.05
NEEDS_ALL = 0.8
MANY_CIRCUITS = 3
IN_COMMON = "many_circuits"
NO_COMMON_CODES = ("inline_pump", "rotary_pump")


@dataclass(frozen=True)
class Evidence:
    """One piece of evidence: what it says, the entries it rests on, its outcome and how fully it counts
    (0..1).

    `reasons`: the knowledge's because for each fault it is about. `factors`: for what only makes faults
    likelier or less likely, how many times; then `finding` is None. `pattern`: it is the workshop's own
    experience. `if_left`: the chance of it when something that explains the complaint is left, and when
    nothing is.
    """

    says: str
    entries: tuple[str, ...]
    finding: Finding | None
    outcome: str
    weight: float
    reasons: dict[str, str]
    factors: dict[str, float] | None = None
    pattern: bool = False
    if_left: tuple[float, float] | None = None

    def reason(self, fault: str, speaks_for: bool) -> str | None:
        """Why this speaks for a fault, or against it: what it would have shown, or that others show it more.
        None where it says nothing of this fault and only moved its odds by way of the others."""
        because = self.reasons.get(fault, "")
        if self.finding is None:
            return because if self.factors is None or self._raises(fault) == speaks_for else None
        row = self.finding.shows.get(fault)
        at = self.finding.outcomes.index(self.outcome)
        brings = row is not None and row[at] > self.finding.general[at]
        if at == 0:
            if speaks_for:
                return CLEARS_OTHERS if row is None or brings else None
            return f"it would show: {because}" if row is not None else None
        if speaks_for:
            return because if brings else None
        return OTHERS_BRING_IT if row is not None else NOT_ITS_WORK

    def _raises(self, fault: str) -> bool | None:
        factor = (self.factors or {}).get(fault, 1.0)
        return None if factor == 1.0 else factor > 1.0

    def log_likelihood(self, space: Space) -> np.ndarray:
        """How likely each set of faults makes this, in logs, tempered by how fully it was measured; shape
        (N,)."""
        if self.factors is not None:
            factors = self.factors
            return _row(space, tuple(sorted(factors.items())), lambda: _spread(space, factors))
        assert self.finding is not None
        finding = self.finding
        outcome = self.outcome
        weight = self.weight
        key = (finding, outcome, weight)
        return _row(space, key, lambda: weight * log_chance(space, finding, outcome))


def _spread(space: Space, factors: dict[str, float]) -> np.ndarray:
    return space.spread(np.log([factors.get(name, 1.0) for name in space.names]))


def _row(space: Space, key: object, made: Callable[[], np.ndarray]) -> np.ndarray:
    """Worked out once for each engine and what is said; the oldest rows of an engine are forgotten."""
    rows = space.kept.setdefault("rows", {})
    row = rows.get(key)
    if row is None:
        row = made().astype(np.float32)
    with _KEEPING:
        rows.pop(key, None)
        rows[key] = row
        while len(rows) > KEPT_ROWS:
            rows.pop(next(iter(rows)))
    return np.asarray(row)


def gather(
    job: Job,
    knowledge: Knowledge,
    number: int,
    verdicts: list[Result],
    codes: list[CodeSeen],
    experience: Experience,
    more: Sequence[Evidence] = (),
) -> list[Evidence]:
    """Gather the evidence of one time of a job in the order in which it came; `verdicts` and `codes` are
    those of its entries, `more` what was gathered of its circuit. What is true of the visit as a whole speaks
    in the first."""
    bearing = any(c.place == "bears" for c in codes)
    evidence = [
        *more,
        *_symptoms(
            job, knowledge, number, {v.test for v in verdicts if v.judgement.verdict in DECIDES}, bearing
        ),
        *_codes(job, knowledge, codes),
        *_tests(job, knowledge, verdicts),
    ]
    evidence += (
        [
            *_patterns(job, knowledge, experience),
            *_own_odds(job, knowledge, experience),
            *_contexts(job, knowledge),
            *_done_before(job, knowledge),
            *_heat(job, knowledge),
            *_absent_codes(job, knowledge, codes),
        ]
        if number == 0
        else []
    )
    at = job.position
    notes = job.notes
    evidence = [
        replace(e, says=" ".join([e.says, *(f"“{notes[i]}”" for i in e.entries if i in notes)]))
        if any(i in notes for i in e.entries)
        else e
        for e in evidence
    ]
    return sorted(evidence, key=lambda e: max((at.get(i, 0) for i in e.entries), default=-1))


def _patterns(job: Job, knowledge: Knowledge, experience: Experience) -> list[Evidence]:
    patterns = experience.for_engine(job.engine.name)
    evidence = []
    for fault in dict.fromkeys(p.fault for p in patterns):
        mine = [p for p in patterns if p.fault == fault]
        times = capped_times(patterns, fault)
        who = "; ".join(f"{p.by}, {p.at.day} {p.at:%b %Y}: {p.why}" for p in mine)
        evidence.append(
            Evidence(
                f"Workshop pattern: {times:g} times as likely on {job.engine.name}",
                (),
                None,
                outcome="",
                weight=1.0,
                reasons={fault: who},
                factors={fault: times},
                pattern=True,
            )
        )
    return evidence


def _own_odds(job: Job, knowledge: Knowledge, experience: Experience) -> list[Evidence]:
    """What the workshop's own proven jobs make of each fault, where a lead switched that on. The job itself
    is never among them."""
    learned = experience.own.times(job.engine, knowledge, job.id)
    if not learned:
        return []
    reasons = {
        fault: f"{capped(x.times):.2g} times: what {round(x.jobs)} proven jobs of"
        f" {inside(knowledge.systems[knowledge.fault_system[fault]])} say, {percent(x.own)} against"
        f" {percent(x.general)} in general"
        for fault, x in learned.items()
    }
    factors = {fault: capped(x.times) for fault, x in learned.items()}
    says = f"Own odds: the proven jobs on {job.engine.name}"
    return [Evidence(says, (), None, outcome="", weight=1.0, reasons=reasons, factors=factors, pattern=True)]


def _symptoms(job: Job, knowledge: Knowledge, number: int, tested: set[str], bearing: bool) -> list[Evidence]:
    """What was noticed. Where a test has said since whether it is so, it alone speaks: they are one witness.
    That what comes and goes is not there now says nothing; a lamp says nothing beside the code that lit
    it."""
    evidence = []
    for name, entry in {x.data.symptom: x for x in job.times[number] if x.kind == "symptom"}.items():
        shape = knowledge.symptoms[name]
        if shape.told_by in tested or entry.data.comes_and_goes and not entry.data.present:
            continue
        if shape.lit_by_code and bearing and entry.data.present:
            continue
        outcome = SEEN if entry.data.present else NOT_SEEN
        says = shape.title if entry.data.present else f"Not so: {inside(shape.title)}"
        reasons = {f: b for f, (_, b) in shape.speaks.items()}
        evidence.append(
            Evidence(
                says,
                (entry.id,),
                knowledge.symptom_findings[name],
                outcome=outcome,
                weight=1.0,
                reasons=reasons,
            )
        )
    return evidence


def _contexts(job: Job, knowledge: Knowledge) -> list[Evidence]:
    return [
        Evidence(
            knowledge.contexts[name].title,
            (entry.id,),
            None,
            outcome="",
            weight=1.0,
            reasons={f: b for f, (_, b) in knowledge.contexts[name].moves.items()},
            factors={f: n for f, (n, _) in knowledge.contexts[name].moves.items()},
        )
        for name, entry in job.contexts.items()
        if knowledge.contexts[name].moves
    ]


def _done_before(job: Job, knowledge: Knowledge) -> list[Evidence]:
    """What was done before this visit: what was renewed and helped is seldom bad again so soon, what was
    renewed without help was not it, and fresh hands leave their own faults."""
    evidence = []
    for x in job.of(History):
        repair = knowledge.repairs.get(x.data.repair or "")
        if repair is None:
            continue
        days = x.data.days_ago if x.data.days_ago is not None else SOME_DAYS
        says = x.data.says(knowledge, {})
        if x.data.cured is False or days <= HOLDS_DAYS:
            times = NO_HELP if x.data.cured is False else RENEWED
            why = (
                "it was renewed, and it did not help"
                if x.data.cured is False
                else "it was renewed not long ago"
            )
            cures = {f: times for f in repair.shape.cures if f in knowledge.faults}
            evidence.append(
                Evidence(
                    says,
                    (x.id,),
                    None,
                    outcome="",
                    weight=1.0,
                    reasons=dict.fromkeys(cures, why),
                    factors=cures,
                )
            )
        hands = knowledge.contexts[HANDS]
        if days <= FRESH_DAYS and HANDS not in job.contexts:
            systems = {knowledge.fault_system[f] for f in repair.shape.cures if f in knowledge.faults}
            moves = {f: m for f, m in hands.moves.items() if knowledge.fault_system.get(f) in systems}
            reasons = {f: b for f, (_, b) in moves.items()}
            factors = {f: n for f, (n, _) in moves.items()}
            evidence += (
                [Evidence(says, (x.id,), None, outcome="", weight=1.0, reasons=reasons, factors=factors)]
                if moves
                else []
            )
    return evidence


def _heat(job: Job, knowledge: Knowledge) -> list[Evidence]:
    """Whether an engine of this kind misses its plugs at this temperature: where it does not, a bad start in
    the cold is no fault of the glow."""
    ambient = job.condition("ambient")
    starts = [x for s, x in job.symptoms.items() if s in MISSES_HEAT and x.data.present]
    if ambient is None or not starts or job.engine.glow in (None, "none"):
        return []
    celsius = convert(ambient.data.value, ambient.data.unit, "degC")
    limits = knowledge.limits(StartLimits, job.engine.limits)
    combustion = job.engine.combustion or DIRECT
    engine = StartEngine(job.cylinders, combustion, job.engine.compression_ratio)
    with_heat, without = (
        float(start_chance(celsius, engine, [heat] * job.cylinders, limits)) for heat in (1.0, 0.0)
    )
    need = max(LEAST_NEED, (with_heat - without) / max(with_heat, LEAST_NEED))
    if need > NEEDS_ALL:
        return []
    says = f"{plain(celsius)} °C: a {combustion} engine misses its plugs in {percent(need)} of starts"
    faults = [
        f
        for f in knowledge.faults
        if knowledge.fault_system[f] == "glow" and knowledge.faults[f].needs.get("glow")
    ]
    because = dict.fromkeys(faults, "it starts without them at this temperature")
    return [
        Evidence(
            says,
            (ambient.id,),
            None,
            outcome="",
            weight=1.0,
            reasons=because,
            factors=dict.fromkeys(faults, need),
        )
    ]


def _codes(job: Job, knowledge: Knowledge, codes: list[CodeSeen]) -> list[Evidence]:
    """Codes of one group are one witness. A group that follows from another that is there too counts little;
    so does each of several circuits, since what they have in common speaks for them."""
    seen: dict[str, list[CodeSeen]] = {}
    for c in codes:
        if c.place == "bears":
            seen.setdefault(c.group, []).append(c)
    circuits = [group for group, hits in seen.items() if any(c.kind == "circuit" for c in hits)]
    evidence = []
    if len(circuits) >= MANY_CIRCUITS:
        of_all = [c for group in circuits for c in seen[group]]
        shape = knowledge.groups[IN_COMMON]
        evidence.append(
            Evidence(
                f"{', '.join(dict.fromkeys(c.code for c in of_all))}: several circuits at once",
                tuple(c.entry.id for c in of_all),
                knowledge.group_findings[IN_COMMON],
                outcome=SEEN,
                weight=1.0,
                reasons={f: b for f, (_, b) in shape.speaks.items()},
            )
        )
    for group, hits in seen.items():
        shape = knowledge.groups[group]
        ids = tuple(c.entry.id for c in hits)
        names = ", ".join(dict.fromkeys(c.code for c in hits))
        causes = tuple(dict.fromkeys(code for c in hits for code in c.follows))
        weight = max(c.weight for c in hits) * (
            CONSEQUENCE_WEIGHT if causes or len(circuits) >= MANY_CIRCUITS and group in circuits else 1.0
        )
        says = f"{names}: {inside(shape.title)}" + (
            f", likely a consequence of {', '.join(causes)}" if causes else ""
        )
        moments = [", ".join(moment_of(c.entry.data.frame_figures(knowledge))) for c in hits]
        if stored := list(dict.fromkeys(filter(None, moments))):
            says += f", stored {'; '.join(stored)}"
        evidence.append(
            Evidence(
                says,
                ids,
                knowledge.group_findings[group],
                outcome=SEEN,
                weight=weight,
                reasons={f: b for f, (_, b) in shape.speaks.items()},
            )
        )
        if shape.clears:
            evidence.append(
                Evidence(
                    f"{names} was set by a module that works",
                    ids,
                    None,
                    outcome="",
                    weight=1.0,
                    reasons={f: b for f, (_, b) in shape.clears.items()},
                    factors={f: n for f, (n, _) in shape.clears.items()},
                )
            )
    return evidence


def _engine_answered(scan: CodeScan) -> bool:
    """Whether the engine's control unit was read: what was not read is no witness."""
    words = [module.lower() for module in scan.answered]
    return not scan.keeps_none and any(x == "all" or any(w in x for w in ENGINE_WORDS) for x in words)


def _absent_codes(job: Job, knowledge: Knowledge, codes: list[CodeSeen]) -> list[Evidence]:
    """What a full read-out did not show. A fault counts as unseen once, by the code that it brings most
    often, at half weight, since not every control unit watches everything. Codes cleared before the visit:
    nothing is said.
    """
    scan = next((x for x in job.times[0] if x.kind == "code_scan" and _engine_answered(x.data)), None)
    if scan is None or job.codes_lost or job.engine.injection in NO_COMMON_CODES:
        return []
    seen = {c.group for c in codes}
    likeliest: dict[str, tuple[float, str]] = {}
    for group in knowledge.groups:
        if group not in seen and group != IN_COMMON:
            for fault, row in knowledge.group_findings[group].shows.items():
                likeliest[fault] = max(likeliest.get(fault, (0.0, "")), (float(row[1]), group))
    factors = {fault: (1 - p) ** ABSENT_WEIGHT for fault, (p, _) in likeliest.items()}
    reasons = {
        fault: f"no code of: {inside(knowledge.groups[group].title)}"
        for fault, (_, group) in likeliest.items()
    }
    return [
        Evidence(
            "Codes read, and these are absent",
            (scan.id,),
            None,
            outcome="",
            weight=ABSENT_WEIGHT,
            reasons=reasons,
            factors=factors,
        )
    ]


def _tests(job: Job, knowledge: Knowledge, verdicts: list[Result]) -> list[Evidence]:
    evidence = []
    for test, findings in knowledge.findings.items():
        of_test = [v for v in verdicts if v.test == test]
        for known in findings if of_test else []:
            here = [v for v in of_test if belongs(job, knowledge, known, v)]
            got = aggregate(job, known, here, verdicts)
            evidence += _ruled_out(job, knowledge, known, here, verdicts)
            if got is None:
                continue
            outcome, weight, entries = got
            reasons = {s.fault: s.because for s in known.shape.speaks}
            says = _in_words(knowledge, known, outcome, weight, here)
            finding = known.seen_at(_places(known, outcome, here), outcome)
            evidence.append(Evidence(says, entries, finding, outcome=outcome, weight=weight, reasons=reasons))
            evidence += _lesser(knowledge, known, outcome, here, reasons)
            evidence += _between(knowledge, known, outcome, of_test)
    return evidence


def _ruled_out(
    job: Job, knowledge: Knowledge, known: TestFinding, here: list[Result], everything: list[Result]
) -> list[Evidence]:
    """What unclear readings tell all the same: a plug whose reading lies too near a limit is at least not
    open. Never in full, so that nothing is cleared for good by a reading that is doubtful."""
    unclear = [v for v in here if v.judgement.not_these]
    evidence = []
    for cls in known.lesser:
        out = [v for v in unclear if cls in v.judgement.not_these]
        if not out:
            continue
        cylinders = {v.where.get("cylinder") for v in out}
        points = {v.where.get("point") for v in out}
        weight = _coverage(job, known, cylinders, points, everything) * RULED_OUT_WEIGHT
        says = f"{knowledge.tests[known.test].title}: unclear, but not {_plain_word(cls)}"
        ids = tuple(dict.fromkeys(i for v in out for i in v.entries))
        reasons = {s.fault: s.because for s in known.shape.speaks}
        evidence.append(
            Evidence(says, ids, known.lesser[cls], outcome=NOT_SEEN, weight=weight, reasons=reasons)
        )
    return evidence


def _places(known: TestFinding, outcome: str, here: list[Result]) -> int:
    """At how many places of its own a bad outcome was seen."""
    bad = [v for v in here if v.judgement.verdict in ("failed", "marginal")]
    alike = [v for v in bad if _class_in(known, v) == outcome.removeprefix("all_")]
    return len({(v.where.get("cylinder"), v.where.get("pin"), v.where.get("bank")) for v in alike})


def _between(knowledge: Knowledge, known: TestFinding, outcome: str, of_test: list[Result]) -> list[Evidence]:
    """What the worst place hides: a part that reads bad from afar and sound at itself has its fault in
    between, whatever its neighbours have."""
    if known.between is None or outcome == known.shape.outcomes[0]:
        return []
    here = {v.where.get("cylinder"): v for v in of_test if v.where.get("point") in known.shape.points}
    pairs = [
        (v, here[c])
        for v in of_test
        if (c := v.where.get("cylinder")) in here
        and v.where.get("point") not in known.shape.points
        and v.judgement.verdict == "failed"
        and (here[c].judgement.verdict == "sound" or v.judgement.cls in here[c].judgement.not_these)
    ]
    if not pairs:
        return []
    cylinders = ", ".join(str(c) for c in sorted({int(str(v.where["cylinder"])) for v, _ in pairs}))
    title = knowledge.tests[known.test].title.split(",")[0]
    says = f"{title}: cylinder {cylinders} bad from afar, not so at the part"
    ids = tuple(dict.fromkeys(i for pair in pairs for v in pair for i in v.entries))
    reasons = {fault: because for fault, (_, because) in known.shape.between.items()}
    return [Evidence(says, ids, known.between_at(len(pairs)), outcome=SEEN, weight=1.0, reasons=reasons)]


def belongs(job: Job, knowledge: Knowledge, known: TestFinding, verdict: Result) -> bool:
    """Whether a verdict is one of those a finding is made of: by point, channel, part, hot or cold, dosing or
    not."""
    shape = known.shape
    channel = str(verdict.where.get("channel", ""))
    return (
        (not shape.points or verdict.where.get("point") in shape.points)
        and (not shape.channels or any(channel == c or channel.startswith(f"{c}_") for c in shape.channels))
        and (
            not shape.nodes
            or (part := part_of(job, knowledge, verdict)) in shape.nodes
            or shape.unsaid
            and part is None
        )
        and (shape.hot is None or shape.hot == verdict.hot)
        and (shape.dosing is None or shape.dosing == verdict.dosing)
    )


def part_of(job: Job, knowledge: Knowledge, verdict: Result) -> str | None:
    """The part that a verdict is about. Nothing said: the only one of the test's parts that is fitted, else
    none."""
    if "node" in verdict.where:
        return knowledge.node(str(verdict.where["node"]))
    if verdict.where.get("cylinder") is not None and any(
        "injector" in f.shape.nodes for f in knowledge.findings[verdict.test]
    ):
        return "injector"
    fitted = {
        n
        for f in knowledge.findings[verdict.test]
        for n in f.shape.nodes
        if not job.engine.rules_out(knowledge.nodes[n].needs)
    }
    return fitted.pop() if len(fitted) == 1 else None


def _lesser(
    knowledge: Knowledge, known: TestFinding, worst: str, here: list[Result], reasons: dict[str, str]
) -> list[Evidence]:
    """What the worst outcome hides: a tired plug beside an open one still speaks for tired plugs, as a yes or
    no."""
    seen: dict[str, list[Result]] = {}
    for v in here:
        name = _class_in(known, v)
        if name and name != worst.removeprefix("all_") and v.judgement.verdict in ("failed", "marginal"):
            seen.setdefault(name, []).append(v)
    return [
        Evidence(
            _in_words(knowledge, known, name, 1.0, verdicts),
            tuple(i for v in verdicts for i in v.entries),
            known.lesser[name],
            outcome=SEEN,
            weight=1.0,
            reasons=reasons,
        )
        for name, verdicts in seen.items()
    ]


def _class_in(known: TestFinding, verdict: Result) -> str | None:
    j = verdict.judgement
    return next((name for name in (j.cls, j.verdict) if name in known.shape.outcomes), None)


def aggregate(
    job: Job, known: TestFinding, here: list[Result], everything: list[Result]
) -> tuple[str, float, tuple[str, ...]] | None:
    """Return the one outcome a test shows over all its places, how fully it counts, and the entries.

    The worst of the places decides. `all_<class>` stands for a whole set of that class. A good outcome counts
    for the share of the places that had to be looked at; a bad one in full. Unclear readings say nothing
    here.
    """
    classes = [(c, v) for v in here if (c := _class_in(known, v))]
    if not classes:
        return None
    outcomes = known.shape.outcomes
    worst = max((c for c, _ in classes), key=outcomes.index)
    total = any(v.where.get("point") == "total" for _, v in classes)
    places = {v.where.get("cylinder") for _, v in classes}
    if (
        f"all_{worst}" in outcomes
        and (len(places) >= max(2, job.cylinders))
        and all(c == worst for c, _ in classes)
    ):
        worst = f"all_{worst}"
    deciding = [v for c, v in classes if c == worst or worst == f"all_{c}"]
    entries = tuple(dict.fromkeys(i for v in deciding for i in v.entries))
    if any(v.judgement.verdict in ("failed", "marginal") for v in deciding) or total:
        return worst, 1.0, entries
    covered = _coverage(job, known, places, {v.where.get("point") for _, v in classes}, everything)
    return worst, covered * min(v.counts for v in deciding), entries


def _coverage(
    job: Job, known: TestFinding, cylinders: set[object], points: set[object], everything: list[Result]
) -> float:
    if known.shape.covers == "batteries":
        return min(1.0, len(points) / (job.engine.batteries or 1))
    if known.shape.covers is None:
        return 1.0
    condemned = {
        v.where.get("cylinder")
        for v in everything
        if v.test in ("glow_resistance", "glow_lamp_test", "glow_current")
        and v.judgement.verdict == "failed"
        and v.where.get("point") != "plug"
    } - {None}
    if condemned and (known.shape.points == ["plug"] or known.shape.covers == "suspect_plugs"):
        return len(cylinders & condemned) / len(condemned)
    return min(1.0, len(cylinders) / job.cylinders)


def _in_words(
    knowledge: Knowledge, known: TestFinding, outcome: str, weight: float, here: list[Result]
) -> str:
    title = knowledge.tests[known.test].title
    bad = [
        (v, c) for v in here if v.judgement.verdict in ("failed", "marginal") and (c := _class_in(known, v))
    ]
    word = _plain_word(outcome)
    if outcome.startswith("all_"):
        return f"{title}: every plug {word}"
    if bad:
        by_cylinder = {int(str(v.where["cylinder"])): _plain_word(c) for v, c in bad if "cylinder" in v.where}
        if by_cylinder:
            where = f" {known.shape.name}" if known.shape.points else ""
            return (
                f"{title.split(',')[0]}{where}: cylinder"
                f" {', '.join(f'{n} {c}' for n, c in sorted(by_cylinder.items()))}"
            )
        spots = ", ".join(filter(None, (place(v) for v, _ in bad)))
        return f"{title}: {word}" + (f" ({spots})" if spots and spots != "relay" else "")
    part = "" if weight > 0.99 else f", {round(weight * 100)} % of what must be read"
    return f"{title}: {word}{part}"


def _plain_word(outcome: str) -> str:
    return outcome.removeprefix("all_").removeprefix("glow_").replace("_", " ")
