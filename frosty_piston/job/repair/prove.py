"""Prove: how far a repair is proven, and in one list what is still missing."""

from collections.abc import Iterator
from dataclasses import dataclass, field, replace

from frosty_piston.core.proving import clean_span, clean_though_broken, clean_until, cured_given
from frosty_piston.core.quantity import percent, plain
from frosty_piston.core.telling import TellingLimits
from frosty_piston.core.words import inside, listed
from frosty_piston.job.assessment import Assessed
from frosty_piston.job.circuit.leaks import SECTION
from frosty_piston.job.entries import Drive, Entry, ProofStep
from frosty_piston.job.judging.result import Result, place, same_place, worse
from frosty_piston.job.place import Page, Part, Place, test_place
from frosty_piston.job.weighing.failed import tests_of
from frosty_piston.job.weighing.places import BAD
from frosty_piston.job.weighing.proof_evidence import (
    CLEAN_DRIVE,
    MOST_PASSES,
    Returns,
    came_back,
    condition_steps,
    conditions_of,
    driven,
    is_witness,
    passed_again,
    passes,
    returns_of,
    said_only,
    though_broken,
    witnesses_of,
)
from frosty_piston.job.weighing.stopping import LEVER, measures_on
from frosty_piston.knowledge import Knowledge
from frosty_piston.knowledge.repair_shapes import CheckShape, ConditionShape, ResetShape

from .contacts import WIGGLE, doubts
from .countdown_count import still_counts
from .fit import missing_pieces
from .trim import codings

PROVEN_FROM = 0.95
# Two or three of its usual returns without it: of those still broken, three in ten stay clean for so long.
BROKEN_AND_CLEAN = 0.3
STOOD_HIGH = 0.2
TO_COME = ("open", "warm", "said")
WORTH_A_TEST = 0.05
WORDS = {"none": "Nothing repaired yet", "on_trial": "On trial", "proven": "Proven", "failed": "Not cured"}
CODED_BY = ("injector_trim", "trim_codes")


@dataclass(frozen=True)
class ProofStepState:
    """One step of the proof: what it asks, the last word on it, and what became of it: `open`, `pass`,
    `fail`, `could_not`, `warm` (no cold start), `said` (nothing shows it yet), `denied` (its reading says
    otherwise), `optional`."""

    id: str
    kind: str
    shape: CheckShape | ConditionShape | ResetShape
    entry: Entry | None
    result: str
    note: str
    needed: bool = True
    link: Place | None = None


@dataclass(frozen=True)
class Pair:
    """One place that was measured before and after a repair."""

    before: Result
    after: Result | None

    @property
    def sound(self) -> bool:
        """Whether it was read again and is sound, or is at least no longer what had failed."""
        return self.after is not None and no_longer(self.before, self.after)


def _short_of(sure: float) -> str:
    """How sure it is beside what is wanted, never as the same figure twice."""
    wanted = percent(PROVEN_FROM)
    if percent(sure) == wanted:
        return f"Sure to just under {wanted}, which is wanted."
    return f"Sure to {percent(sure)}; {wanted} is wanted."


def no_longer(before: Result, after: Result) -> bool:
    return after.judgement.verdict == "sound" or before.judgement.cls in after.judgement.not_these


@dataclass(frozen=True)
class Missing:
    """One thing that is missing before the job counts as proven, with where it is done."""

    what: str
    id: str
    where: Place
    because: str


@dataclass(frozen=True)
class Proof:
    """How proven a job is: `none` (nothing repaired), `on_trial`, `proven`, `failed`; how sure; what is
    missing."""

    status: str
    sure: float | None
    missing: tuple[Missing, ...]
    steps: tuple[ProofStepState, ...] = ()
    pairs: tuple[Pair, ...] = ()
    repairs: tuple[str, ...] = ()
    because: str = ""
    notes: dict[str, str] = field(default_factory=dict)

    @property
    def word(self) -> str:
        return WORDS[self.status]


def prove(assessed: Assessed) -> Proof:
    """Fold the proof of a job. Proven needs every failed finding read again, every suspect that stood high
    dealt with, the complaint's own condition passed, what must be learned done, nothing temporary, no piece
    missing, and the chance that nothing is left at 95 % or more."""
    return _Prover(assessed).proof()


class _Prover:
    def __init__(self, assessed: Assessed):
        self.assessed = assessed
        self.job = assessed.job
        self.knowledge = assessed.knowledge
        self.number = assessed.after_time
        acts = [x for x in self.job.repairs if x.data.repair in self.knowledge.repairs]
        self.repairs = tuple(dict.fromkeys(x.data.repair for x in acts))
        since = {x.id for n in range(self.number, len(self.job.times)) for x in self.job.times[n]}
        self.said = {x.data.step: x for x in self.job.live if x.kind == "proof_step" and x.id in since}
        self.since = since

    def proof(self) -> Proof:
        if not self.job.repairs:
            return Proof("none", None, (), because="Nothing is repaired yet.")
        pairs = self.pairs()
        steps = self.steps(pairs)
        sure = self.assessed.suspicion.sure or 0.0
        missing = tuple(self._missing(pairs, steps, sure))
        failed = [m for m in missing if m.what == "failed"]
        if failed:
            status = "failed"
        elif missing:
            status = "on_trial"
        else:
            status = "proven"
        return Proof(
            status,
            sure,
            missing,
            steps=steps,
            pairs=pairs,
            repairs=self.repairs,
            because=self._because(status, missing, sure),
        )

    def _because(self, status: str, missing: tuple[Missing, ...], sure: float) -> str:
        if status == "proven":
            return (
                "Everything that failed was read again and is sound, the complaint's own condition is"
                f" passed. Sure to {percent(sure)}."
            )
        if status == "failed":
            return f"{missing[0].because} Back to Narrow: what was measured since counts."
        more = f" And {len(missing) - 1} more." if len(missing) > 1 else ""
        return f"{missing[0].because}{more} Sure to {percent(sure)} until now."

    # before beside after

    def pairs(self) -> tuple[Pair, ...]:
        """Every place that failed before a repair, with its latest reading after one: what is found in one
        time are findings beside each other, never before and after. A reading further up the wire takes in
        the part behind it."""
        pairs: dict[tuple[object, ...], Pair] = {}
        for time, verdicts in enumerate(self.assessed.judged):
            of_time: dict[tuple[object, ...], Result] = {}
            for verdict in verdicts:
                if worse(verdict, of_time.get(same_place(verdict))):
                    of_time[same_place(verdict)] = verdict
            for key, verdict in of_time.items():
                if key in pairs:
                    pairs[key] = Pair(pairs[key].before, verdict)
                elif time < self.number and verdict.judgement.verdict in BAD:
                    pairs[key] = Pair(verdict, None)
        latest: dict[tuple[object, ...], Result] = {}
        for verdict in self.assessed.after:
            if worse(verdict, latest.get(same_place(verdict))):
                latest[same_place(verdict)] = verdict
        return tuple(
            Pair(pair.before, self._answered(pair.before, latest) or pair.after)
            if pair.after is None or pair.after.judgement.verdict == "unclear"
            else pair
            for pair in pairs.values()
        )

    def _answered(self, verdict: Result, latest: dict[tuple[object, ...], Result]) -> Result | None:
        """A sound reading since that takes in the place: the same test further up the wire, or one that
        says more."""
        shape = self.knowledge.tests[verdict.test]
        here = str(verdict.where.get("point", ""))
        points = ([here] if here else []) + shape.taken_in_at.get(here, [])
        for test in (verdict.test, *shape.answered_by):
            for where in [{**verdict.where, "point": point} for point in points] or [verdict.where]:
                seen = latest.get(same_place(replace(verdict, test=test, where=where)))
                if seen is not None and no_longer(verdict, seen):
                    return seen
        if verdict.where:
            return None
        for test in shape.answered_by:
            everywhere = [v for v in latest.values() if v.test == test]
            if everywhere and all(no_longer(verdict, v) for v in everywhere):
                return everywhere[-1]
        return None

    # the steps

    def steps(self, pairs: tuple[Pair, ...]) -> tuple[ProofStepState, ...]:
        checks = self.knowledge.proofs.checks
        resets = self.knowledge.proofs.resets
        named = [c for r in self.repairs for c in self.knowledge.repairs[r].checks]
        own = [c for c in dict.fromkeys(named) if c not in ("clear", "codes")]
        wired = self.job.engine.keeps_codes
        states = [self._reread(self._check("remeasure", checks["remeasure"]), pairs)]
        states += [self._check(c, checks[c]) for c in own]
        states += [self._reset(key, resets[key], needed) for key, needed in self._resets()]
        states += [self._check(c, checks[c]) for c in ("clear", "codes") if wired]
        said: dict[str, Entry] = {}
        for n in range(self.number, len(self.job.times)):
            said |= condition_steps(self.job, self.knowledge, n)
        of_complaint = conditions_of(self.job, self.knowledge)
        shown = witnesses_of(self.job, self.knowledge)
        return (*states, *(self._condition(c, said.get(c), c in of_complaint) for c in shown))

    def _resets(self) -> Iterator[tuple[str, bool]]:
        """What must be learned or reset after what was done, and whether this engine card asks for it."""
        acts = {x.data.repair: x.data.action for x in self.job.repairs}
        seen: set[str] = set()
        for repair in self.repairs:
            for key in self.knowledge.repairs[repair].resets:
                shape = self.knowledge.proofs.resets[key]
                if key not in seen and (not shape.acts or acts[repair] in shape.acts):
                    seen.add(key)
                    on_card = self.job.engine.choice(shape.card) == "yes"
                    yield key, shape.always or on_card or bool(self._coding(key))

    def _coding(self, key: str) -> tuple[str, str] | None:
        """What the trim codes on the tape say of the coding: its result and why; None while there are none of
        what was fitted."""
        changed = [x for x in self.job.repairs if key in self.knowledge.repairs[x.data.repair].resets]
        if key not in CODED_BY or not changed:
            return None
        cylinders = sorted({c for x in changed for c in x.data.cylinders or []})
        at = self.job.position[changed[-1].id]
        rows = codings(self.job, cylinders or range(1, self.job.cylinders + 1), at)
        rows = rows if cylinders else [r for r in rows if r.code]
        if not any(r.code for r in rows):
            return None
        if wrong := [r.open for r in rows if r.differs]:
            return "fail", wrong[0]
        left = [r.open for r in rows if r.open]
        return ("open", left[0]) if left else ("pass", "read back, and the same")

    def _check(self, key: str, shape: CheckShape) -> ProofStepState:
        entry = self.said.get(key)
        result, note = (entry.data.result, entry.data.reason or "") if entry else ("open", "")
        if entry and result == "pass":
            against = [
                v for v in self.assessed.after if v.test in shape.reading and v.judgement.verdict == "failed"
            ]
            if against:
                result = "denied"
                note = f"Its reading says otherwise: {against[-1].judgement.because}"
        read = [v for v in self.assessed.after if v.test in shape.reading]
        if result == "open" and read and all(v.judgement.verdict == "sound" for v in read):
            result = "pass"
            note = read[-1].judgement.because
        if result == "open" and not shape.what:
            result = "optional"
        return ProofStepState(key, "check", shape, entry=entry, result=result, note=note)

    def _reread(self, step: ProofStepState, pairs: tuple[Pair, ...]) -> ProofStepState:
        """The readings themselves pass this step, and no tick does."""
        failed = [
            pair
            for pair in pairs
            if pair.before.judgement.verdict == "failed"
            and (pair.after or not self._gone_with_part(pair.before))
        ]
        sound = [p for p in failed if p.sound]
        if step.result in ("open", "pass") and failed:
            done = len(sound) == len(failed)
            return replace(
                step,
                result="pass" if done else "open",
                note="" if done else f"{len(sound)} of {len(failed)} read again and sound",
            )
        return step if failed else replace(step, result="optional" if step.result == "open" else step.result)

    def _reset(self, key: str, shape: ResetShape, needed: bool) -> ProofStepState:
        plan = next((p for p, shape in self.knowledge.reset_plans.items() if key in shape.proves), None)
        link: Place | None = Place(Page.RESETS, plan) if plan else None
        link = Place(Page.TRIM) if key in CODED_BY else link
        entry = self.said.get(key)
        done = next(
            (
                x
                for x in reversed(self.job.live)
                if x.kind == "reset_step" and x.id in self.since and x.data.step == key
            ),
            None,
        )
        if entry is None and done is not None:
            result = {"done": "pass", "refused": "fail", "skipped": "could_not"}[done.data.result]
            asked = needed or result != "pass"
            return ProofStepState(
                key,
                "reset",
                shape,
                entry=done,
                result=result,
                note=done.data.because or "",
                needed=asked,
                link=link,
            )
        if entry:
            result = entry.data.result
        elif needed:
            result = "open"
        else:
            result = "optional"
        note = (entry.data.reason or "") if entry else ""
        if (read := self._coding(key)) and (result != "could_not" or read[0] != "open"):
            result, note = read
        return ProofStepState(
            key, "reset", shape, entry=entry, result=result, note=note, needed=needed, link=link
        )

    def _condition(self, key: str, entry: Entry | None, own: bool) -> ProofStepState:
        shape = self.knowledge.proofs.conditions[key]
        result, note = (entry.data.result, entry.data.reason or "") if entry else ("open", "")
        if result == "pass" and entry is not None and (why := said_only(self.job, shape, entry)):
            result = "warm" if shape.needs_cold else "said"
            note = why
        shown = [v for v in self.assessed.after if v.test in (shape.reading, *shape.shown_by)]
        if shown and shown[-1].judgement.verdict == "failed":
            result = "fail" if result == "fail" else "denied"
            note = shown[-1].judgement.because
        elif shape.reading and result in ("open", "pass"):
            result, note = self._timed(shape, result, note)
        if result == "open" and key == CLEAN_DRIVE and self._driven_clean():
            result = "pass"
            note = "by the drive written down"
        link = test_place(self.knowledge, shape.reading) if shape.reading else None
        result = "optional" if result == "open" and not own else result
        return ProofStepState(
            key, "condition", shape, entry=entry, result=result, note=note, needed=own, link=link
        )

    def _timed(self, shape: ConditionShape, result: str, note: str) -> tuple[str, str]:
        """What a condition came to by its own readings, of which each since the repair counts: one that
        failed is not undone by a later one."""
        made = [v for v in self.assessed.judged[-1] if v.test == shape.reading]
        failed = [v for v in made if v.judgement.verdict == "failed"]
        if failed:
            return (
                "denied",
                f"{failed[-1].judgement.because} It came and went: a later pass does not undo it.",
            )
        sound = [v for v in made if v.judgement.verdict == "sound"]
        if not sound:
            return result, note
        times = self.knowledge.tests[shape.reading].repeats
        if len(sound) < times:
            return "said", f"{len(sound)} of {times} times: {sound[-1].judgement.because}"
        return "pass", sound[-1].judgement.because

    def _drives(self) -> list[Entry]:
        return [x for x in self.job.of(Drive) if x.id in self.since and is_witness(x)]

    def _driven_clean(self) -> bool:
        drives = self._drives()
        return bool(drives) and not any(came_back(self.job, x) for x in drives)

    # what is missing

    def _missing(
        self, pairs: tuple[Pair, ...], steps: tuple[ProofStepState, ...], sure: float
    ) -> Iterator[Missing]:
        yield from self._failed(pairs, steps)
        yield from self._pieces_and_temporary()
        yield from self._whole_circuit()
        yield from self._rereads(pairs, steps)
        yield from self._suspects(list(self._disturbed()))
        yield from self._still_counts()
        yield from self._open_steps(steps)
        yield from self._certainty(steps, sure)

    def _failed(self, pairs: tuple[Pair, ...], steps: tuple[ProofStepState, ...]) -> Iterator[Missing]:
        for step in steps:
            if step.kind == "condition" and step.result == "fail":
                yield Missing(
                    "failed", step.id, self._at(step.id), f"Not cured: {inside(step.shape.does)} failed."
                )
            elif step.kind == "condition" and step.result == "denied":
                yield Missing("failed", step.id, step.link or self._at(step.id), f"Not cured: {step.note}")
        for x in self._drives():
            if came_back(self.job, x):
                yield Missing(
                    "failed",
                    "drive",
                    Place(Page.PROVE, part=Part.DRIVES),
                    "Not cured: it came back on the drive.",
                )
        said = self.said.get("remeasure")
        if said is not None and said.data.result == "fail":
            yield Missing(
                "failed",
                "remeasure",
                self._at("remeasure"),
                "Not cured: what failed, read again, failed again.",
            )
        for pair in pairs:
            if (
                pair.after is not None
                and pair.after.judgement.verdict == "failed"
                and self._since_repair(pair.after)
            ):
                yield Missing(
                    "failed",
                    pair.after.test,
                    test_place(self.knowledge, pair.after.test, pair.after.where),
                    f"Not cured: {pair.after.judgement.because}",
                )

    def _since_repair(self, verdict: Result) -> bool:
        return any(i in self.since for i in verdict.entries)

    def _whole_circuit(self) -> Iterator[Missing]:
        """After a mend on the circuit the whole is tested again: one leak may have hidden another."""
        found = self.assessed.isolation
        mended = self.knowledge.repairs[self.job.repairs[-1].data.repair].cures if self.job.repairs else ()
        if found is None or found.whole_holds or not set(mended) & set(found.leaks.weights):
            return
        root = found.leaking.roots()[0]
        says = "The whole circuit was not tested again since the mend: one leak may have hidden another."
        yield Missing("reread", SECTION, test_place(self.knowledge, SECTION, {"node": root}), says)

    def _still_counts(self) -> Iterator[Missing]:
        """A countdown that still runs: cured is not unlatched."""
        if still_counts(self.job) is not None:
            says = "The countdown still runs: run its reset plan, or say that it is gone."
            yield Missing("reset", "countdown", Place(Page.RESETS, "start_inhibit"), says)

    def _pieces_and_temporary(self) -> Iterator[Missing]:
        for piece in missing_pieces(self.job):
            yield Missing(
                "piece",
                piece.name,
                Place(Page.FIT, part=Part.PIECES),
                f"A piece is missing: {piece.name}. No start, no proof until it is found.",
            )
        lasting = {x.data.repair: self.job.position[x.id] for x in self.job.repairs if not x.data.temporary}
        for repair in self.job.repairs:
            if repair.data.temporary and lasting.get(repair.data.repair, -1) < self.job.position[repair.id]:
                back = f", come back {repair.data.come_back}" if repair.data.come_back else ""
                yield Missing(
                    "temporary",
                    repair.data.repair,
                    Place(Page.DECIDE),
                    f"Temporary repair ({repair.data.what}){back}.",
                )
        for repair in measures_on(self.job):
            back = f", come back {repair.data.come_back}" if repair.data.come_back else ""
            says = f"Temporary measure still on ({repair.data.what}){back}."
            yield Missing("temporary", repair.data.what, test_place(self.knowledge, LEVER), says)

    def _rereads(self, pairs: tuple[Pair, ...], steps: tuple[ProofStepState, ...]) -> Iterator[Missing]:
        excused = next((s for s in steps if s.id == "remeasure"), None)
        for pair in pairs:
            again = pair.after.judgement.verdict if pair.after else ""
            if pair.before.judgement.verdict != "failed" or pair.sound:
                continue
            if again == "failed" and self._since_repair(pair.after):  # type: ignore[arg-type]
                continue
            if not again and self._gone_with_part(pair.before):
                continue
            if again != "failed" and excused is not None and excused.result == "could_not":
                continue
            where = place(pair.before)
            title = self.knowledge.tests[pair.before.test].title
            says = "read again, and not sound" if pair.after else "not read again"
            yield Missing(
                "reread",
                pair.before.test,
                test_place(self.knowledge, pair.before.test, pair.before.where),
                f"{title}{', ' + where if where else ''}: {says}.",
            )

    def _gone_with_part(self, verdict: Result) -> bool:
        """Whether it was read on the part itself, off the vehicle or moved about, and that part has been
        replaced."""
        replaced = [x.data.repair for x in self.job.repairs if x.data.action == "replaced"]
        return self.knowledge.tests[verdict.test].on_part and any(
            verdict.test in tests_of(self.knowledge, r) for r in replaced if r in self.knowledge.repairs
        )

    def _suspects(self, disturbed: list[Missing]) -> Iterator[Missing]:
        yield from disturbed
        suspicion = self.assessed.suspicion
        reasons = self._reasons()
        cured = {f for s in suspicion.chain if s.done and s.done.is_repair for f in s.done.cures}
        for fault in suspicion.space.faults:
            stood = suspicion.at_repair(fault) or 0.0
            settled = fault in cured or fault in reasons or fault in {m.id for m in disturbed}
            if stood <= STOOD_HIGH or settled or self._cleared(fault):
                continue
            says = (
                f"{self.knowledge.faults[fault].title} stood at {percent(stood)} at the repair, and nothing"
                " was done about it: repair it, clear it by a test, or say why not."
            )
            yield Missing("suspect", fault, Place(Page.WHY, fault), says)

    def _disturbed(self) -> Iterator[Missing]:
        """What was opened keeps it on trial by itself: a poor contact rests for a while after that."""
        reasons = self._reasons()
        for doubt in doubts(self.assessed):
            if doubt.fault not in reasons and not self._cleared(doubt.fault):
                where = {"node": doubt.opened.node} | (
                    {"cylinder": doubt.opened.cylinder} if doubt.opened.cylinder else {}
                )
                yield Missing(
                    "suspect", doubt.fault, test_place(self.knowledge, WIGGLE, where), doubt.because
                )

    def _reasons(self) -> set[str]:
        steps = [x for x in self.job.of(ProofStep) if x.id in self.since and x.data.step == "suspect"]
        return {
            x.data.about for x in steps if x.data.about and x.data.result == "could_not" and x.data.reason
        }

    def _cleared(self, fault: str) -> bool:
        """Whether a test since found it sound, in full, and speaks clearly against it."""
        telling = self.assessed.knowledge.limits(TellingLimits)
        for time in self.assessed.suspicion.chain[1:]:
            for evidence in time.evidence:
                if (
                    evidence.finding
                    and fault in evidence.finding.shows
                    and evidence.outcome == evidence.finding.outcomes[0]
                    and evidence.settled
                    and not evidence.finding.id.startswith("symptom.")
                ) and telling.clears(
                    float(evidence.finding.shows[fault][0]), float(evidence.finding.general[0])
                ):
                    return True
        return False

    def _open_steps(self, steps: tuple[ProofStepState, ...]) -> Iterator[Missing]:
        for step in steps:
            if step.kind == "reset" and step.needed and step.result in ("open", "fail", "could_not"):
                if step.id == "countdown" and still_counts(self.job) is not None:
                    continue
                stands = step.note or ("still to do" if step.result == "open" else "not done")
                yield Missing(
                    "reset", step.id, step.link or self._at(step.id), f"{step.shape.does}: {stands}."
                )
            elif (
                step.kind == "condition"
                and step.needed
                and step.result in ("open", "warm", "said", "could_not")
            ):
                yield Missing(
                    "condition", step.id, step.link or self._at(step.id), self._condition_says(step)
                )
            elif step.kind == "check" and step.id not in ("remeasure", "suspect"):
                yield from self._open_check(step)

    def _open_check(self, step: ProofStepState) -> Iterator[Missing]:
        assert isinstance(step.shape, CheckShape)
        if step.result in ("denied", "fail"):
            yield Missing(
                step.shape.what or "reread",
                step.id,
                self._at(step.id),
                f"{step.shape.does}: {step.note or 'failed'}.",
            )
        elif step.shape.what == "codes" and step.result == "open" and not self._codes_read():
            yield Missing(
                "codes",
                step.id,
                self._at(step.id),
                "The codes of all modules were not read since.",
            )
        elif step.shape.what == "reread" and step.shape.reading and step.result == "open":
            place = test_place(self.knowledge, step.shape.reading[0])
            yield Missing("reread", step.id, place, f"{step.shape.does}: still to do.")
        elif step.shape.what == "fluid" and step.result == "open":
            yield Missing(
                "fluid",
                step.id,
                self._at(step.id),
                f"{step.shape.does}: still to do.",
            )

    def _condition_says(self, step: ProofStepState) -> str:
        if step.result in ("warm", "said"):
            return f"{step.shape.does}: {step.note.rstrip('.')}."
        not_done = "could not be done, and no reason stands for it"
        return f"{step.shape.does}: {'still to come' if step.result == 'open' else not_done}."

    def _codes_read(self) -> bool:
        """Whether the codes were read since the repair: a read-out after a clear, or a drive that noted
        them."""
        cleared = any(x.kind == "code_clear" and x.id in self.since for x in self.job.live)
        scans = any(x.kind == "code_scan" and x.id in self.since for x in self.job.live)
        return cleared and scans or any(x.data.read for x in self._drives())

    def _certainty(self, steps: tuple[ProofStepState, ...], sure: float) -> Iterator[Missing]:
        if sure >= PROVEN_FROM:
            yield from self._distance()
            return
        more = still_to_drive(self.assessed)
        to_come = [s for s in steps if s.kind == "condition" and s.needed and s.result in TO_COME]
        more_proof = [s for s in steps if s.kind == "condition" and s.result == "optional"]
        if more is not None and more[1] > 0:
            yield Missing(
                "drive",
                "drive",
                Place(Page.PROVE, part=Part.DRIVES),
                f"Sure to {percent(sure)}: {plain(round(more[1]))} {more[0].unit} more, clean, would make it"
                f" {percent(PROVEN_FROM)}.",
            )
        elif to_come:
            then = sure
            for step in to_come:
                then = cured_given(
                    then,
                    though_broken(self.job, self.knowledge, step.id),
                    self.knowledge.proofs.conditions[step.id].when_cured,
                )
            yield Missing(
                "certainty",
                to_come[0].id,
                self._at(to_come[0].id),
                f"{_short_of(sure)} {self._passed_says(then)}",
            )
        elif more_proof:
            yield Missing(
                "certainty",
                more_proof[0].id,
                self._at(more_proof[0].id),
                f"{_short_of(sure)} More of it: {inside(more_proof[0].shape.does)}.",
            )
        elif once_more := self._once_more(steps, sure):
            yield Missing(
                "certainty",
                once_more[0].id,
                self._at(once_more[0].id),
                f"{_short_of(sure)} Once more on another day would"
                f" make it {percent(once_more[1])}: {inside(once_more[0].shape.does)}.",
            )
        else:
            yield Missing(
                "certainty",
                "sure",
                Place(Page.NARROW),
                f"{_short_of(sure)} A test of what is left would tell.",
            )

    def _distance(self) -> Iterator[Missing]:
        """What comes and goes is proven by how long it stays away, however sure the repair is."""
        returns = returns_of(self.job)
        if returns is None:
            return
        trip = driven(self.job, len(self.job.times) - 1, returns.axis)
        clean = 0.0 if trip.back else trip.span
        known = clean_though_broken(returns.timed, clean, returns.about)
        wanted = clean_span(returns.timed, BROKEN_AND_CLEAN, returns.about)
        if known is None or wanted is None or known <= BROKEN_AND_CLEAN:
            return
        yield Missing(
            "drive",
            "drive",
            Place(Page.PROVE, part=Part.DRIVES),
            f"Clean for {plain(clean)} {returns.unit} so far; a vehicle still broken does this in"
            f" {percent(known)}. {plain(round(wanted - clean))} {returns.unit} more, clean, would prove it.",
        )

    def _once_more(
        self, steps: tuple[ProofStepState, ...], sure: float
    ) -> tuple[ProofStepState, float] | None:
        """A condition that is passed already and would make it sure enough when passed again, or that tells
        more than the tests where no suspect stands out; None when there is none."""
        told_by_tests = self.assessed.proposals.first and any(
            x.probability >= WORTH_A_TEST for x in self.assessed.suspicion.suspects
        )
        for step in steps:
            if step.kind == "condition" and step.result == "pass" and step.entry is not None:
                done = len(passes(self.job, self.knowledge, len(self.job.times) - 1, step.id))
                broken = though_broken(self.job, self.knowledge, step.id)
                then = (
                    cured_given(sure, passed_again(broken, done + 1) / passed_again(broken, done))
                    if 0 < done < MOST_PASSES
                    else sure
                )
                if then > sure and (then >= PROVEN_FROM or not told_by_tests):
                    return step, then
        return None

    def _passed_says(self, then: float) -> str:
        says = f"What is still to come would make it {percent(then)}"
        return f"{says}." if then >= PROVEN_FROM else f"{says}: a test of what is left is wanted beside it."

    def _at(self, step: str) -> Place:
        return Place(Page.PROVE, part=Part.PROOF, item=step)


def odds_before_drives(assessed: Assessed) -> float | None:
    """How sure the cure was before the drives of this time: what the drives multiply."""
    suspicion = assessed.suspicion
    sure = suspicion.sure
    ids = {x.id for x in assessed.job.of(Drive)}
    for e in suspicion.evidence:
        if sure is not None and e.if_left and set(e.entries) & ids:
            left, cured = e.if_left
            odds = sure / max(1 - sure, 1e-12) * left / cured
            sure = odds / (1 + odds)
    return sure


def still_to_drive(assessed: Assessed, wanted: float = PROVEN_FROM) -> tuple[Returns, float] | None:
    """How much more it must stay clean until the cure is so sure; None when no return is known or none would
    do."""
    returns = returns_of(assessed.job)
    odds = odds_before_drives(assessed)
    if returns is None or odds is None:
        return None
    span = clean_until(returns.timed, odds, wanted, returns.about)
    if span is None:
        return None
    trip = driven(assessed.job, len(assessed.job.times) - 1, returns.axis)
    return returns, max(0.0, span - (0.0 if trip.back else trip.span))


def cold_start_to_come(proof: Proof) -> bool:
    """Whether a cold proof is still missing: then the engine is left to stand."""
    return any(
        step.kind == "condition"
        and isinstance(step.shape, ConditionShape)
        and step.shape.needs_cold
        and step.result in TO_COME
        for step in proof.steps
    )


def owner_words(proof: Proof, knowledge: Knowledge) -> str:
    """How proven it is, in the owner's words."""
    if proof.status == "proven":
        return (
            f"Proven: measured again and tried in its own conditions; sure to {percent(proof.sure or 0.0)}."
        )
    if proof.status == "failed":
        return "Not cured yet: the search goes on."
    names = {
        "reread": "a reading to repeat",
        "suspect": "another suspect to settle",
        "condition": "the trial in its own conditions",
        "drive": "more driving",
        "reset": "something to learn or reset",
        "codes": "the codes to read again",
        "temporary": "the lasting repair",
        "piece": "a piece to find",
        "fluid": "a level or leak to look at",
        "certainty": "more certainty",
    }
    kinds = list(dict.fromkeys(names[m.what] for m in proof.missing if m.what in names))
    return f"On trial: still missing {listed(kinds)}." if kinds else "Nothing is repaired yet."
