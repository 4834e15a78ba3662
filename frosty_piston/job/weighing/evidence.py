"""From a job to evidence: what was seen, how fully, and what the knowledge files say it speaks for."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from threading import Lock

import numpy as np

from frosty_piston.core.aftertreatment import FilterLimits
from frosty_piston.core.filter_flow import ash_kg
from frosty_piston.core.freeze_frame import moment_of
from frosty_piston.core.quantity import Judgement, percent, plain
from frosty_piston.core.starting import DIRECT, StartEngine, StartLimits, start_chance
from frosty_piston.core.suspects.space import Finding, Space, log_chance
from frosty_piston.core.telling import TellingLimits
from frosty_piston.core.words import inside, listed
from frosty_piston.job.afterwards.experience import Experience, capped_times
from frosty_piston.job.entries import CodeScan, History
from frosty_piston.job.judging.result import Result, place
from frosty_piston.job.repair.countdown_count import was_reset
from frosty_piston.job.repair.trim import codes_of, codings
from frosty_piston.job.tape.fold import Job
from frosty_piston.job.units import convert
from frosty_piston.knowledge import Knowledge
from frosty_piston.knowledge.finding import NOT_SEEN, OF_ALL, SEEN, TestFinding
from frosty_piston.knowledge.shapes import StatusShape

from .addresses import Addresses
from .codes_seen import ENGINE_WORDS, CodeSeen, cylinders_named
from .lines import Look, look_of_sign, look_of_test, read_together
from .own_odds import capped
from .places import BAD, Settled, at_odds, set_aside, settled
from .presence import Presence, comes_and_goes

ABSENT_WEIGHT = 0.5
TRIM = "injector_trim_missing"
HOSE = "vacuum_hose"
LEAST_SHADE = 0.01
BETWEEN_FADES = 4
WHOLE = 0.99
BESIDE_ITS_MARK = 0.67
LEAST_SET = 3
ALIKE_SHARE = 0.15
SEEN_ITSELF = "seen"
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
# No estimate by itself makes a fault more than so many times likelier, or less likely.
MOST_TIMES = 10.0
HANDS = "recent_repair_same_system"
_KEEPING = Lock()
DECIDES = ("sound", "failed")
MISSES_HEAT = ("no_start_cold", "hard_start_cold", "rough_idle_cold", "white_smoke_start")
LEAST_NEED = 0.05
NEEDS_ALL = 0.8
MANY_CIRCUITS = 3
IN_COMMON = "many_circuits"


@dataclass(frozen=True)
class Evidence:
    """One piece of evidence: what it says, the entries it rests on, its outcome and how fully it counts
    (0..1).

    `reasons`: the knowledge's because for each fault it is about. `factors`: for what only makes faults
    likelier or less likely, how many times; then `finding` is None. `pattern`: it is the workshop's own
    experience. `if_left`: the chance of it when something that explains the complaint is left, and when
    nothing is. `at_odds`: two readings at one place that cannot both be right, in words; such a piece moves
    no odds. `firm`: how far its figures lie from their marks, 1 at the edge and beyond.
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
    at_odds: str = ""
    firm: float = 1.0

    @property
    def settled(self) -> bool:
        """Whether all was read that had to be: nothing new comes of the same test again."""
        return (
            self.weight > WHOLE * self.firm
            or self.finding is None
            or self.outcome != self.finding.outcomes[0]
        )

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


@dataclass(frozen=True)
class CameTo:
    """One outcome of a test over its places. `covered`: how much of what must be read was, 0 to 1. `called`:
    the results as they are called there. `firm`: how far from its mark, 1 at the edge and beyond. `as_read`:
    what was read is called so itself."""

    outcome: str
    covered: float
    entries: tuple[str, ...]
    called: list[Result]
    firm: float = 1.0
    as_read: bool = True

    @property
    def weight(self) -> float:
        return self.covered * self.firm


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
    tested = {v.test for v in verdicts if v.judgement.verdict in DECIDES}
    looks: list[Look] = []
    evidence = [
        *more,
        *_symptoms(job, knowledge, number, tested, bearing, looks),
        *_codes(job, knowledge, number, codes, verdicts, looks),
        *_tests(job, knowledge, verdicts, looks, Addresses(job, knowledge, codes, verdicts)),
    ]
    evidence += _together(job, knowledge, looks)
    evidence += _trims(job, knowledge) if number == len(job.times) - 1 else []
    evidence += (
        [
            *_patterns(job, knowledge, experience),
            *_own_odds(job, knowledge, experience),
            *_contexts(job, knowledge),
            *_done_before(job, knowledge),
            *_goes(job, knowledge),
            *_ash(job, knowledge),
            *_heat(job, knowledge),
            *_absent_codes(job, knowledge, codes),
        ]
        if number == 0
        else []
    )
    at = job.position
    notes = job.notes
    evidence = [
        replace(piece, says=" ".join([piece.says, *(f"“{notes[i]}”" for i in piece.entries if i in notes)]))
        if any(i in notes for i in piece.entries)
        else piece
        for piece in evidence
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
        fault: f"{capped(value.times):.2g} times: what {round(value.jobs)} proven jobs of"
        f" {inside(knowledge.systems[knowledge.fault_system[fault]])} say, {percent(value.own)} against"
        f" {percent(value.general)} in general"
        for fault, value in learned.items()
    }
    factors = {fault: capped(x.times) for fault, x in learned.items()}
    says = f"Own odds: the proven jobs on {job.engine.name}"
    return [Evidence(says, (), None, outcome="", weight=1.0, reasons=reasons, factors=factors, pattern=True)]


def _symptoms(
    job: Job, knowledge: Knowledge, number: int, tested: set[str], bearing: bool, looks: list[Look]
) -> list[Evidence]:
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
        look = look_of_sign(
            knowledge,
            f"symptom.{name}",
            shape.line,
            title=shape.title,
            outcome=outcome,
            weight=1.0,
            entries=(entry.id,),
        )
        looks += [look] if look else []
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
    evidence = []
    for name, entry in job.contexts.items():
        if moves := knowledge.contexts[name].moves:
            reasons = {fault: because for fault, (_, because) in moves.items()}
            factors = {fault: times for fault, (times, _) in moves.items()}
            says = knowledge.contexts[name].title
            evidence.append(
                Evidence(says, (entry.id,), None, outcome="", weight=1.0, reasons=reasons, factors=factors)
            )
    return evidence


def _ash(job: Job, knowledge: Knowledge) -> list[Evidence]:
    """What the oil has left in the filter since it was new, where the oil use is written down: as parts that
    wear, a filter gives out the oftener the further it is over its limit."""
    use = job.condition("oil_use")
    on_filter = job.condition("filter_km")
    km = convert(float(on_filter.data.value), on_filter.data.unit, "km") if on_filter else job.odometer_km
    if use is None or not km or job.engine.dpf is False:
        return []
    limits = knowledge.limits(FilterLimits, job.engine.limits)
    grams = ash_kg(convert(float(use.data.value), use.data.unit, "l"), km) * 1000
    times = min(MOST_TIMES, max(1 / MOST_TIMES, (grams / limits.ash_most_g) ** 2))
    says = f"About {plain(round(grams))} g of ash by its oil use; {plain(limits.ash_most_g)} g is the limit"
    return [_factors(says, (use.id,), {"dpf_ash": (times, "what the oil left over the distance")})]


def _trims(job: Job, knowledge: Knowledge) -> list[Evidence]:
    """The trim codes of injectors beside those of the control unit, both read: as they stand now."""
    if TRIM not in knowledge.faults:
        return []
    known = codes_of(job)
    both = [c for c in codings(job, sorted(known)) if c.code and c.unit]
    if not both:
        return []
    rate = knowledge.faults[TRIM].per_thousand / 1000
    wrong = knowledge.witnesses[SEEN_ITSELF].wrong_share or 0.0
    bad = [c for c in both if c.differs]
    ids = tuple(x.id for c in both for x in known[c.cylinder])
    if bad:
        says = "; ".join(c.open for c in bad)
        return [_factors(f"Trim codes: {says}", ids, {TRIM: ((1 - wrong) / (wrong * rate), "read at both")})]
    if len(both) < job.cylinders:
        return []
    return [_factors("Trim codes: all agree", ids, {TRIM: (wrong, "read at both, and alike")})]


def _goes(job: Job, knowledge: Knowledge) -> list[Evidence]:
    """A complaint that comes and goes is seldom that of a fault which lasts."""
    goes = comes_and_goes(job, knowledge)
    if not goes.entries:
        return []
    times = float(knowledge.limits(TellingLimits, job.engine.limits).lasting_goes)
    lasting = [f for f in sorted(goes.faults) if knowledge.faults[f].quiet == 1]
    return [
        _factors("It comes and goes", goes.entries, dict.fromkeys(lasting, (times, "it lasts once there")))
    ]


def _done_before(job: Job, knowledge: Knowledge) -> list[Evidence]:
    """What was done before this visit: what was renewed and helped is seldom bad again so soon, what was
    renewed without help was not it, and fresh hands leave their own faults."""
    evidence = []
    for history in job.of(History):
        repair = knowledge.repairs.get(history.data.repair or "")
        if repair is None:
            continue
        days = history.data.days_ago if history.data.days_ago is not None else SOME_DAYS
        says = history.data.says(knowledge, {})
        if history.data.cured is False or days <= HOLDS_DAYS:
            times = NO_HELP if history.data.cured is False else RENEWED
            why = (
                "it was renewed, and it did not help"
                if history.data.cured is False
                else "it was renewed not long ago"
            )
            cures = {f: times for f in repair.shape.cures if f in knowledge.faults}
            evidence.append(
                Evidence(
                    says,
                    (history.id,),
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
                [
                    Evidence(
                        says, (history.id,), None, outcome="", weight=1.0, reasons=reasons, factors=factors
                    )
                ]
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
        fault
        for fault in knowledge.faults
        if knowledge.fault_system[fault] == "glow" and knowledge.faults[fault].needs.get("glow")
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


def _codes(
    job: Job,
    knowledge: Knowledge,
    number: int,
    codes: list[CodeSeen],
    verdicts: list[Result],
    looks: list[Look],
) -> list[Evidence]:
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
        if number and shape.latches and not seen.keys() & set(shape.follows):
            if not was_reset(job):
                stays = (float(shape.latches[1]), "it stays until its reset, whatever was mended")
                evidence.append(_factors(f"{names}: {inside(shape.title)}", ids, {shape.latches[0]: stays}))
            continue
        causes = tuple(dict.fromkeys(code for c in hits for code in c.follows))
        if any(v.judgement.cls in shape.follows_unless.get(v.test, ()) for v in verdicts):
            causes = ()
        weight = max(c.weight for c in hits) * (
            CONSEQUENCE_WEIGHT if causes or len(circuits) >= MANY_CIRCUITS and group in circuits else 1.0
        )
        times, by_status = (1.0, []) if causes else _by_status(knowledge, group, hits)
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
                _seldom_false(knowledge.group_findings[group], times),
                outcome=SEEN,
                weight=weight,
                reasons={f: b for f, (_, b) in shape.speaks.items()},
            )
        )
        look = look_of_sign(
            knowledge,
            f"codes.{group}",
            shape.line,
            title=f"{names}, {shape.title}",
            outcome=SEEN,
            weight=weight,
            entries=ids,
        )
        looks += [look] if look else []
        evidence += _worded(knowledge, group, hits)
        evidence += by_status
        if shape.clears:
            evidence.append(_factors(f"{names} was set by a module that works", ids, shape.clears))
        cylinders = cylinders_named(knowledge, hits, job.cylinders)
        if shape.of_all and cylinders and len(cylinders) < job.cylinders:
            which = f"cylinder {listed([str(n) for n in sorted(cylinders)])} alone"
            evidence.append(_factors(f"{names}: {which}", ids, shape.of_all))
    return evidence


def _worded(knowledge: Knowledge, group: str, hits: list[CodeSeen]) -> list[Evidence]:
    """What the scan tool said in its own words beside the codes of a group."""
    evidence = []
    for wording in knowledge.wording.values():
        if group not in wording.groups:
            continue
        told = [c for c in hits if any(w in (c.entry.data.text or "").lower() for w in wording.words)]
        if told:
            says = f"{told[0].code}, the tool says: {told[0].entry.data.text}"
            evidence.append(_factors(says, tuple(c.entry.id for c in told), wording.moves))
    return evidence


def _by_status(knowledge: Knowledge, group: str, hits: list[CodeSeen]) -> tuple[float, list[Evidence]]:
    """What the kind and the status of the codes of a group say beside their number: how many times as seldom
    they are set by nothing, and what they speak against of what only leaves codes."""
    times = 1.0
    evidence = []
    for status in knowledge.statuses.values():
        told = [code for code in hits if code.weight == 1 and _of_status(status, code)]
        if told:
            times *= status.own[0]
        if told and status.left.keys() & knowledge.groups[group].speaks.keys():
            says = f"{', '.join(dict.fromkeys(code.code for code in told))}: {status.own[1]}"
            evidence.append(_factors(says, tuple(code.entry.id for code in told), status.left))
    return times, evidence


@lru_cache(maxsize=1024)
def _seldom_false(finding: Finding, times: float) -> Finding:
    """A code that nothing sets so many times as seldom."""
    if times == 1:
        return finding
    seen = finding.general[1] / times
    return replace(finding, general=np.array([1 - seen, seen]), well=None)


def _of_status(status: StatusShape, code: CodeSeen) -> bool:
    said = {str(said).replace("-", "_") for said in (code.entry.data.status, *code.entry.data.also)}
    return (not status.kinds or code.kind in status.kinds) and (
        not status.statuses or bool(said.intersection(status.statuses))
    )


def _factors(says: str, entries: tuple[str, ...], moves: dict[str, tuple[float, str]]) -> Evidence:
    """What makes some faults so many times as likely, each with its reason."""
    reasons = {fault: because for fault, (_, because) in moves.items()}
    factors = {fault: times for fault, (times, _) in moves.items()}
    return Evidence(says, entries, None, outcome="", weight=1.0, reasons=reasons, factors=factors)


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
    if scan is None or job.codes_lost or not job.engine.keeps_codes:
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


def _tests(
    job: Job, knowledge: Knowledge, verdicts: list[Result], looks: list[Look], addresses: Addresses
) -> list[Evidence]:
    shared = {
        test
        for test, findings in knowledge.findings.items()
        if any(_all_bad(job, known, [v for v in verdicts if v.test == test]) for known in findings)
    }
    # What every cylinder shares is not settled at one of them.
    places = settled(knowledge, [v for v in verdicts if v.test not in shared])
    aside = set_aside(places)
    # A part that is bad at one place is not made sound by its neighbours.
    bad_places: dict[str, set[object]] = {}
    for spot in places:
        if spot.nearest.judgement.verdict in BAD:
            bad_places.setdefault(spot.part, set()).add(spot.cylinder)
    evidence = [*_between(knowledge, places), *_at_odds(knowledge, places)]
    presence = Presence(job, knowledge)
    for test, findings in knowledge.findings.items():
        of_test = [v for v in verdicts if v.test == test and id(v) not in aside]
        came_to: set[str | None] = set()
        for known in findings if of_test else []:
            mine = [v for v in of_test if belongs(job, knowledge, known, v)]
            here = [_only_left(known, _told_apart(known, v, verdicts)) for v in mine]
            got = came_to_by_shades(job, knowledge, known, here, verdicts)
            if got:
                came_to.add(known.shape.name)
            if known.shape.unless in came_to:
                continue
            evidence += _ruled_out(job, knowledge, known, here, verdicts)
            bad_ones = bad_places.get(known.shape.part or "", set())
            read = {v.where.get("cylinder") for v in here}
            good = known.shape.outcomes[0]
            got = [c for c in got if c.outcome != good or not bad_ones or bad_ones & read]
            for c in got:
                evidence.append(_told_by(knowledge, known, c, presence, addresses))
                title = inside(knowledge.tests[test].title.split(",")[0])
                look = look_of_test(title, known, c.outcome, c.weight, c.called, c.entries)
                looks += [look] if look else []
            if got:
                evidence += _lesser(knowledge, known, {c.outcome.removeprefix(OF_ALL) for c in got}, here)
                evidence += _alike(job, knowledge, known, here)
    return evidence


def _told_by(
    knowledge: Knowledge, known: TestFinding, came_to: CameTo, presence: Presence, addresses: Addresses
) -> Evidence:
    """The evidence of one outcome of a test."""
    finding = known.seen_at(_places(known, came_to.outcome, came_to.called), came_to.outcome)
    if came_to.outcome == known.shape.outcomes[0]:
        finding = addresses.found_sound(known, presence.found_sound(known, finding, came_to.entries))
    says = _in_words(knowledge, known, came_to.outcome, came_to.covered, came_to.called)
    if came_to.firm < BESIDE_ITS_MARK:
        says += ", beside its mark" if came_to.as_read else ", near that mark"
    reasons = {s.fault: s.because for s in known.shape.speaks}
    return Evidence(
        says,
        came_to.entries,
        finding,
        outcome=came_to.outcome,
        weight=came_to.weight,
        reasons=reasons,
        firm=came_to.firm,
    )


def _alike(job: Job, knowledge: Knowledge, known: TestFinding, here: list[Result]) -> list[Evidence]:
    """A whole set that is bad and reads alike soon after new parts: another kind of them, and no wear."""
    if not known.shape.alike or not _lately_renewed(job, knowledge, set(known.shape.alike)):
        return []
    read = {v.where.get("cylinder"): v for v in here if v.where.get("cylinder") is not None}
    values = [v.judgement.value for v in read.values() if v.judgement.verdict in BAD]
    figures = [x for x in values if x is not None]
    if len(figures) < max(LEAST_SET, job.cylinders):
        return []
    if max(figures) - min(figures) > ALIKE_SHARE * sum(figures) / len(figures):
        return []
    ids = tuple(dict.fromkeys(i for v in read.values() for i in v.entries))
    title = knowledge.tests[known.test].title.split(",")[0]
    return [_factors(f"{title}: the whole set reads alike", ids, known.shape.alike)]


def _lately_renewed(job: Job, knowledge: Knowledge, faults: set[str]) -> bool:
    """Whether what these faults are of was renewed on this job or not long before it."""
    if HANDS in job.contexts:
        return True
    before = [
        history.data.repair
        for history in job.of(History)
        if (SOME_DAYS if history.data.days_ago is None else history.data.days_ago) <= FRESH_DAYS
    ]
    renewed = [*before, *(x.data.repair for x in job.repairs)]
    return any(faults & set(knowledge.repairs[r].cures) for r in renewed if r in knowledge.repairs)


def _together(job: Job, knowledge: Knowledge, looks: list[Look]) -> list[Evidence]:
    """What several witnesses add by having looked at one and the same thing."""
    evidence = []
    # Where nothing but the brakes lives on vacuum, its hose is the one of the brakes.
    known = {HOSE: "main"} if job.engine.vacuum_consumers is False else {}
    for one in read_together(knowledge, looks, known):
        seen = listed(list(dict.fromkeys(inside(x.title) for x in one.looks)))
        says = f"Taken together: {seen}"
        ids = tuple(dict.fromkeys(i for x in one.looks for i in x.entries))
        because = "they hang on the state of one and the same thing"
        evidence.append(_factors(says, ids, {f: (times, because) for f, times in one.times.items()}))
    return evidence


def _ruled_out(
    job: Job, knowledge: Knowledge, known: TestFinding, here: list[Result], everything: list[Result]
) -> list[Evidence]:
    """What unclear readings tell all the same: a plug whose reading lies too near a limit is at least not
    open. Never in full, so that nothing is cleared for good by a reading that is doubtful."""
    unclear = [v for v in here if v.judgement.not_these and _class_in(known, v) is None]
    evidence = []
    for cls in known.lesser:
        out = [v for v in unclear if cls in v.judgement.not_these]
        if not out:
            continue
        cylinders = {v.where.get("cylinder") for v in out}
        points = {v.where.get("point") for v in out}
        weight = _coverage(job, knowledge, known, cylinders, points, everything) * RULED_OUT_WEIGHT
        says = f"{knowledge.tests[known.test].title}: unclear, but not {_plain_word(cls)}"
        ids = tuple(dict.fromkeys(i for v in out for i in v.entries))
        reasons = {s.fault: s.because for s in known.shape.speaks}
        evidence.append(
            Evidence(says, ids, known.lesser[cls], outcome=NOT_SEEN, weight=weight, reasons=reasons)
        )
    return evidence


def _told_apart(known: TestFinding, verdict: Result, everything: list[Result]) -> Result:
    """A verdict with what another test of the same part makes of it: where a valve stands that does not
    move."""
    if not known.shape.told_apart:
        return verdict

    def again(judgement: Judgement) -> Judgement:
        apart = known.shape.told_apart.get(judgement.cls)
        if apart is None:
            return judgement
        by = [
            v.judgement.cls
            for v in everything
            if v.test == apart.by
            and v.judgement.cls in apart.into
            and apart.channel in ("", v.where.get("channel"))
        ]
        return replace(judgement, cls=apart.into[by[-1]]) if by else judgement

    shades = tuple((share, again(j)) for share, j in verdict.shades)
    return replace(verdict, judgement=again(verdict.judgement), shades=shades)


def _only_left(known: TestFinding, verdict: Result) -> Result:
    """An unclear reading that rules out all but one bad class, the sound one too, is of that class."""
    of_place = [name for name in known.shape.outcomes if not name.startswith(OF_ALL)]

    def again(judgement: Judgement) -> Judgement:
        left = [name for name in of_place if name not in judgement.not_these]
        if judgement.verdict != "unclear" or len(left) != 1 or left[0] == of_place[0]:
            return judgement
        return replace(judgement, verdict="failed", cls=left[0])

    shades = tuple((share, again(j)) for share, j in verdict.shades)
    return replace(verdict, judgement=again(verdict.judgement), shades=shades)


def _places(known: TestFinding, outcome: str, here: list[Result]) -> int:
    """At how many places of its own a bad outcome was seen."""
    bad = [v for v in here if v.judgement.verdict in ("failed", "marginal")]
    alike = [v for v in bad if _class_in(known, v) == outcome.removeprefix("all_")]
    return len({(v.where.get("cylinder"), v.where.get("pin"), v.where.get("bank")) for v in alike})


def _between(knowledge: Knowledge, places: list[Settled]) -> list[Evidence]:
    """A part that reads bad from afar and sound at itself has its fault in between, whatever its neighbours
    have; so has one of which the reading at itself rules out what was read from afar."""
    evidence = []
    for part in dict.fromkeys(spot.part for spot in places):
        bad = [spot for spot in places if spot.part == part and spot.bad_from_afar]
        lies_between = [x for of_test in knowledge.findings.values() for x in of_test if x.shape.part == part]
        known = next((x for x in lies_between if x.between), None)
        if not bad or known is None:
            continue
        cylinders = sorted({spot.cylinder for spot in bad})
        tests = dict.fromkeys(knowledge.tests[spot.nearest.test].title.split(",")[0] for spot in bad)
        which = ", ".join(map(str, cylinders))
        says = f"{', '.join(tests)}: cylinder {which} bad from afar, not so at the part"
        read = [v for spot in bad for v in (*spot.bad_from_afar, spot.nearest)]
        ids = tuple(dict.fromkeys(i for v in read for i in v.entries))
        reasons = {fault: because for fault, (_, because) in known.shape.between.items()}
        finding = known.between_at(len(cylinders))
        evidence.append(Evidence(says, ids, finding, outcome=SEEN, weight=1.0, reasons=reasons))
    return evidence


def _at_odds(knowledge: Knowledge, places: list[Settled]) -> list[Evidence]:
    """Two readings at one part that say the opposite: the nearer one is weighed, and both are named."""
    evidence = []
    for spot, overruled in at_odds(places):
        said = [
            f"{inside(knowledge.tests[read.test].title.split(',')[0])} says {_plain_word(read.judgement.cls)}"
            for read in (overruled, spot.nearest)
        ]
        says = (
            f"Cylinder {spot.cylinder}: {', '.join(said)}. The nearer one is believed. Clean the place, and"
            " read it again"
        )
        ids = tuple(dict.fromkeys([*overruled.entries, *spot.nearest.entries]))
        evidence.append(
            Evidence(says, ids, None, outcome="", weight=1.0, reasons={}, factors={}, at_odds=f"{says}.")
        )
    return evidence


def belongs(job: Job, knowledge: Knowledge, known: TestFinding, verdict: Result) -> bool:
    """Whether a verdict is one of those a finding is made of: by point, channel, part, hot or cold, dosing or
    not."""
    shape = known.shape
    channel = str(verdict.where.get("channel", ""))
    return (
        (not shape.points or verdict.where.get("point") in shape.points)
        and (shape.whole is None or verdict.where.get("point") == shape.whole)
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
        node
        for finding in knowledge.findings[verdict.test]
        for node in finding.shape.nodes
        if not job.engine.rules_out(knowledge.nodes[node].needs)
    }
    return fitted.pop() if len(fitted) == 1 else None


def _lesser(knowledge: Knowledge, known: TestFinding, told: set[str], here: list[Result]) -> list[Evidence]:
    """What the worst outcome hides: a tired plug beside an open one still speaks for tired plugs, as a yes or
    no."""
    reasons = {s.fault: s.because for s in known.shape.speaks}
    seen: dict[str, list[Result]] = {}
    for v in here:
        name = _class_in(known, v)
        if name and name not in told and v.judgement.verdict in ("failed", "marginal"):
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
    job: Job, knowledge: Knowledge, known: TestFinding, here: list[Result], everything: list[Result]
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
    elif _all_bad(job, known, here):
        mildest = min((c for c, _ in classes), key=outcomes.index)
        worst = f"all_{mildest}" if f"all_{mildest}" in outcomes else worst
    deciding = [v for c, v in classes if c == worst or worst.startswith(OF_ALL)]
    entries = tuple(dict.fromkeys(i for v in deciding for i in v.entries))
    if any(v.judgement.verdict in ("failed", "marginal") for v in deciding) or total:
        return worst, 1.0, entries
    covered = _coverage(job, knowledge, known, places, {v.where.get("point") for _, v in classes}, everything)
    return worst, covered * min(v.counts for v in deciding), entries


def _all_bad(job: Job, known: TestFinding, here: Sequence[Result]) -> bool:
    """Whether a test from afar found every cylinder bad, in what they share or in what each has alone."""
    bad = {v.where.get("cylinder") for v in here if v.judgement.verdict in BAD} - {None}
    return known.shape.shared and len(bad) >= max(2, job.cylinders)


def came_to_by_shades(
    job: Job, knowledge: Knowledge, known: TestFinding, here: list[Result], everything: list[Result]
) -> list[CameTo]:
    """What a test shows over all its places, with what figures beside their marks take off it.

    A figure at its mark says neither; from there on what it says grows with its distance, to its full weight
    at the edge. Bad outcomes share what is left of the bad side.
    """
    read = aggregate(job, knowledge, known, here, everything)
    count = max((len(v.shades) for v in here), default=0)
    if not count:
        return [CameTo(*read, here)] if read else []
    by_outcome: dict[str, CameTo] = {read[0]: CameTo(*read, here)} if read else {}
    shares: dict[str, float] = {}
    counted: dict[str, float] = {}
    for at in range(count):
        called = [replace(v, judgement=v.shades[at][1]) if v.shades else v for v in here]
        share = next(v.shades[at][0] for v in here if v.shades)
        got = aggregate(job, knowledge, known, called, everything)
        if got:
            name, covered, _ = got
            shares[name] = shares.get(name, 0.0) + share
            counted[name] = counted.get(name, 0.0) + share * covered
            by_outcome.setdefault(name, CameTo(*got, called, as_read=False))
    firm = _one_side(shares, known.shape.outcomes[0])
    return [
        replace(value, firm=min(1.0, firm[name] * counted[name] / shares[name] / value.covered))
        for name, value in by_outcome.items()
        if firm.get(name, 0.0) > LEAST_SHADE and value.covered
    ]


def _one_side(shares: dict[str, float], good: str) -> dict[str, float]:
    """What each outcome keeps of its share once good and bad are set against each other.

    What is unclear between two bad names is bad all the same: it goes to the bad side as far as nothing
    good lies beside it.
    """
    sound = shares.get(good, 0.0)
    bad = sum(shares.values()) - sound
    if sound >= bad:
        return {good: sound - bad}
    between = min(1 - sound - bad, bad) * ((bad - sound) / (bad + sound)) ** BETWEEN_FADES
    times = (bad - sound + between) / bad
    return {name: share * times for name, share in shares.items() if name != good}


def _coverage(
    job: Job,
    knowledge: Knowledge,
    known: TestFinding,
    cylinders: set[object],
    points: set[object],
    everything: list[Result],
) -> float:
    if (times := knowledge.tests[known.test].repeats) > 1:
        return min(1.0, sum(v.test == known.test for v in everything) / times)
    if known.shape.covers == "batteries":
        return min(1.0, len(points) / (job.engine.batteries or 1))
    if known.shape.covers is None:
        return 1.0
    condemned = {
        verdict.where.get("cylinder")
        for verdict in everything
        if verdict.test in ("glow_resistance", "glow_lamp_test", "glow_current")
        and verdict.judgement.verdict == "failed"
        and verdict.where.get("point") != "plug"
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
