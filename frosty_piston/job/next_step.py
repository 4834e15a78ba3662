"""What to do next: worked out once, said everywhere the same, with where it is done."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from frosty_piston.core.quantity import percent
from frosty_piston.core.words import inside, listed, sentence
from frosty_piston.knowledge import Knowledge

from .assessment import Assessed
from .entries import Code, CodeScan, Complaint, Entry, Handover, Symptom
from .entries import Wait as WaitData
from .judging.measured import recording_of
from .judging.result import place
from .place import Page, Part, Place, test_place
from .repair.basket import agreed, bill
from .repair.fit import chosen, consent, missing_pieces
from .repair.prove import Missing, Proof
from .repair.waits import open_waits
from .repair.work import all_done, to_do
from .tape.fold import Job
from .weighing.proposals import NextTest

DECIDE_FROM = 0.9
COUNTDOWN = "countdown"
ORDER = (
    "failed",
    "piece",
    "reread",
    "codes",
    "reset",
    "fluid",
    "condition",
    "drive",
    "suspect",
    "certainty",
    "temporary",
)
WAIT_WORDS = {
    "cool_down": "let it cool down",
    "soak": "let it soak",
    "bath": "leave it in the bath",
    "cure": "let it cure",
    "parts": "wait for parts",
    "consent": "wait for the owner's word",
    "cold_soak": "let it stand cold",
    "burn": "let it burn clean",
    "drive": "wait for the drive",
    "warm_up": "let it get hot",
    "charge": "let the charge go",
    "starter": "let the starter rest",
    "thaw": "let it thaw",
    "routine": "let it run",
}


@dataclass(frozen=True)
class NextStep:
    """The one next step: its stage and kind, what to do in words, where, minutes, until when, and why."""

    stage: str
    kind: str
    does: str
    where: Place
    because: str
    minutes: float | None = None
    until: datetime | None = None

    def as_json(self) -> dict[str, Any]:
        until = self.until.isoformat().replace("+00:00", "Z") if self.until else None
        return {
            "stage": self.stage,
            "kind": self.kind,
            "does": self.does,
            "where": self.where.as_open(),
            "minutes": self.minutes,
            "until": until,
            "because": self.because,
        }


def next_step(
    assessed: Assessed, proof: Proof, now: datetime | None = None, waiting: bool = True
) -> NextStep:
    """Return what to do next on a job. `now`: the moment that ends waits by itself; without it a wait runs
    until it is ended on the tape, or until the last entry that has a time. `waiting` False leaves waits
    aside: what is next once they are over."""
    job = assessed.job
    if job.last(Handover) is not None:
        return NextStep("prove", "handed_over", "Handed over", Place(Page.REPORT), "The vehicle has left.")
    if not any(True for _ in job.of(Complaint, Symptom)):
        return NextStep(
            "arrive",
            "write_complaint",
            "Write down the complaint",
            where=Place(Page.ARRIVE),
            because="Nothing can be weighed before it is said what is wrong.",
            minutes=3,
        )
    if not _codes_known(job):
        return NextStep(
            "arrive",
            "read_codes",
            "Read the codes of all modules, or say there are none",
            where=Place(Page.ARRIVE, part=Part.CODES),
            because="What is cleared before it is written down is evidence lost.",
            minutes=5,
        )
    if waiting and (running := _wait(job, now)) is not None:
        return _waits(assessed.knowledge, running, proof)
    if all_done(assessed) and proof.status not in ("none", "failed"):
        return _prove(assessed, proof)
    return _work(assessed) or _look(assessed)


def _codes_known(job: Job) -> bool:
    """Whether the codes are written down, or there are none to read."""
    known = any(True for _ in job.of(Code, CodeScan)) or job.codes_lost or bool(job.repairs)
    return known or not job.engine.keeps_codes


def _wait(job: Job, now: datetime | None) -> Entry | None:
    """The wait that holds the work up, the one that ends last."""
    now = now or max((x.at for x in job.live if x.at), default=None)
    running = [x for x in open_waits(job) if x.data.until is None or now is None or x.data.until > now]
    return max(
        running,
        key=lambda x: (x.data.until is None, x.data.until.timestamp() if x.data.until else 0),
        default=None,
    )


def wait_says(kind: str, what: str) -> str:
    """A wait as the next step says it."""
    return f"Wait, {WAIT_WORDS[kind]}: {inside(what)}"


STANDS_BY = "Stay with it: it is watched where it was begun."


def _where_it_runs(wait: WaitData) -> Place | None:
    """The place of a wait that is part of a routine or a burn."""
    if wait.wait == "routine" and wait.step:
        plan, _, rest = wait.step.partition("/")
        return Place(Page.RESETS, plan, Part.STEP, rest.partition("/")[0])
    return Place(Page.MEASURE, "dpf", Part.BURN) if wait.wait == "burn" and wait.step == "burn" else None


def _waits(knowledge: Knowledge, entry: Entry, proof: Proof) -> NextStep:
    data = entry.data
    if data.test is not None:
        here = test_place(
            knowledge, data.test, data.where.model_dump(exclude_none=True) if data.where else {}
        )
        says = "When it is over, read it at once: it cools while you look."
        return NextStep(
            "measure",
            "wait",
            wait_says(data.wait, data.what),
            where=here,
            because=says,
            minutes=None,
            until=data.until,
        )
    if own := _where_it_runs(data):
        return NextStep(
            "prove",
            "wait",
            wait_says(data.wait, data.what),
            where=own,
            because=STANDS_BY,
            minutes=None,
            until=data.until,
        )
    if data.wait in ("cold_soak", "drive"):
        stage = "prove"
    elif data.wait == "consent":
        stage = "decide"
    elif proof.status == "on_trial":
        stage = "prove"
    else:
        stage = "fit"
    of_step = data.step if data.step and stage == "fit" else ""
    place = Place(Page(stage), part=Part.STEP if of_step else Part.WAITS, item=of_step)
    return NextStep(
        stage,
        "wait",
        wait_says(data.wait, data.what),
        where=place,
        because="It ends by itself, with a sound; end it early with what was seen.",
        minutes=None,
        until=data.until,
    )


# before the repair is done


def _work(assessed: Assessed) -> NextStep | None:
    """The picked work: the owner's word, then the plan step by step, then the word that it is done."""
    job = assessed.job
    if missing := missing_pieces(job):
        names = listed([p.name for p in missing])
        return NextStep(
            "fit",
            "fit",
            f"Find the missing piece: {names}",
            Place(Page.FIT, part=Part.PIECES),
            "Nobody starts or cranks it while a piece is missing.",
        )
    picked = chosen(job)
    if picked is None:
        return None
    asked = consent(job)
    if not agreed(job):
        said_no = (
            asked is not None
            and asked.data.answer == "no"
            and job.position[asked.id] > job.position[picked.id]
        )
        if said_no:
            return NextStep(
                "decide",
                "decide",
                "The owner said no: offer something else, or hand over as it is",
                Place(Page.DECIDE),
                "Nothing is done without a yes.",
            )
        return NextStep(
            "decide",
            "consent",
            "Get the owner's yes and a ceiling",
            where=Place(Page.DECIDE, part=Part.CONSENT),
            because="Work above what was agreed is nobody's to pay.",
            minutes=5,
        )
    if bill(job, assessed.knowledge).above:
        return NextStep(
            "decide",
            "consent",
            "Ask the owner again: it comes to more than the ceiling",
            where=Place(Page.DECIDE, part=Part.CONSENT),
            because="Work above the ceiling is agreed before it is done.",
            minutes=5,
        )
    for work in to_do(assessed):
        if work.entry is not None:
            continue
        step = work.plan.current
        page = (
            Place(Page.FIT, part=Part.STEP, item=step.shape.id) if step else Place(Page.FIT, part=Part.DONE)
        )
        if step is None:
            return NextStep(
                "fit",
                "fit",
                f"Say that it is done: {inside(work.title)}",
                page,
                "What is measured from then on belongs to the proof.",
            )
        return NextStep(
            "fit",
            "fit",
            step.shape.does,
            where=page,
            because=step.shape.why or f"Step by step: {inside(work.plan.repair.title)}.",
            minutes=step.shape.minutes or None,
        )
    return None


def _look(assessed: Assessed) -> NextStep:
    """Nothing picked: look further, or decide."""
    again = reread_at_part(assessed)
    if again is not None:
        return again
    if assessed.proposals.sure.enough and any(v.judgement.verdict == "failed" for v in assessed.now):
        return NextStep(
            "decide",
            "decide",
            f"Decide: {_standing_high(assessed)}",
            where=Place(Page.DECIDE),
            because=assessed.proposals.stop_rule,
            minutes=5,
        )
    if assessed.proposals.acquits:
        return NextStep(
            "prove",
            "hand_over",
            f"{assessed.proposals.nothing_says}. Tell the owner, and hand over",
            where=Place(Page.PROVE, part=Part.HANDOVER),
            because="What would show is cleared. What was tested goes with the vehicle.",
            minutes=10,
        )
    if n := assessed.proposals.first:
        return judge_first(assessed, n) or test_step(assessed.knowledge, n)
    nothing = assessed.proposals.nothing_says
    return NextStep(
        "decide",
        "decide",
        f"{nothing}. Say so, and what would show more"
        if nothing
        else "Decide: no test is left that would tell more",
        where=Place(Page.DECIDE),
        because=assessed.proposals.stop_rule,
        minutes=5,
    )


def _standing_high(assessed: Assessed) -> str:
    """The suspects that are all but certain, else the leading one, with their odds."""
    high = [s for s in assessed.suspicion.suspects if s.probability > DECIDE_FROM][
        :2
    ] or assessed.suspicion.suspects[:1]
    return listed([f"{inside(s.title)}, {percent(s.probability)}" for s in high])


def test_step(knowledge: Knowledge, next_test: NextTest) -> NextStep:
    """A proposed test as a step."""
    return NextStep(
        "measure",
        "test",
        next_test.title,
        where=test_place(knowledge, next_test.test, next_test.where),
        because=next_test.because,
        minutes=next_test.minutes,
    )


def judge_first(assessed: Assessed, next_test: NextTest) -> NextStep | None:
    """A recording that already holds what a test would record: judge it before it is made again."""
    recorded = recording_of(assessed.job, assessed.knowledge, next_test.test, next_test.where.get("node", ""))
    if recorded is None:
        return None
    return NextStep(
        "measure",
        "judge",
        f"Judge the recording that is here: {recorded.data.file or 'the recording'}",
        where=Place(Page.TRACES, recorded.id),
        because=f"It holds what “{inside(next_test.title)}” would record.",
        minutes=next_test.minutes,
    )


def _at_point(knowledge: Knowledge, test: str, point: str) -> str | None:
    """The test that reads the same parts at a point: the one that condemned them, else another of theirs."""
    same = (
        t
        for t in knowledge.tests
        if point in knowledge.tests[t].at and set(knowledge.tests[t].parts) & set(knowledge.tests[test].parts)
    )
    return test if point in knowledge.tests[test].at else next(same, None)


def reread_at_part(assessed: Assessed) -> NextStep | None:
    """Repeat it at the part before it is pulled: what was condemned from afar only, once a repair is near."""
    knowledge = assessed.knowledge
    for repair, p in list(assessed.suspicion.repairs_needed.items())[:1]:
        shape = knowledge.repairs[repair].shape
        bad = assessed.condemned(repair)
        if p < DECIDE_FROM or shape.at_part is None or not shape.at_part.points or not bad.afar:
            continue
        if bad.confirmed:
            continue
        read = next(
            (
                verdict
                for verdict in assessed.now
                if verdict.where.get("cylinder") in bad.afar
                and verdict.judgement.verdict == "failed"
                and verdict.test in knowledge.tests
            ),
            None,
        )
        if read is None:
            continue
        names = listed([str(c) for c in sorted(bad.afar)])
        point = shape.at_part.points[0]
        test = _at_point(knowledge, read.test, point)
        if test is None:
            continue
        at = knowledge.tests[test].at[point]
        minutes = at.minutes or knowledge.tests[test].minutes
        return NextStep(
            "measure",
            "reread",
            f"Read cylinder {names} again at the {shape.at_part.word} itself",
            where=test_place(knowledge, test, {"point": point}),
            because=f"Condemned from {place(read).split(' at ')[-1]} alone: a broken wire reads the same.",
            minutes=minutes,
        )
    return None


# after it


def _prove(assessed: Assessed, proof: Proof) -> NextStep:
    if proof.status == "proven":
        return NextStep(
            "prove",
            "hand_over",
            "Hand over",
            where=Place(Page.PROVE, part=Part.HANDOVER),
            because=proof.because,
            minutes=5,
        )
    first = min(_doable(proof.missing), key=_turn, default=None)
    if first is None:
        return NextStep(
            "prove",
            "hand_over",
            "Hand over on trial, with the date to come back",
            where=Place(Page.PROVE, part=Part.HANDOVER),
            because=proof.because,
            minutes=5,
        )
    return _missing_step(assessed, first)


def _turn(m: Missing) -> float:
    """When its turn is; a countdown that still runs comes before the codes, which stay while it does."""
    return ORDER.index("codes") - 0.5 if m.id == COUNTDOWN else ORDER.index(m.what)


def _doable(missing: Iterable[Missing]) -> list[Missing]:
    """What can be worked on here; a temporary repair waits for its day."""
    return [m for m in missing if m.what != "temporary"]


def _missing_step(assessed: Assessed, missing: Missing) -> NextStep:
    knowledge = assessed.knowledge
    if missing.what == "reread":
        test = knowledge.tests.get(missing.id)
        title = f"Read again: {inside(test.title.split(',')[0])}" if test else "Read again what failed"
        spot = {
            key: missing.where.spot[key] for key in ("cylinder", "point", "node") if key in missing.where.spot
        }
        return NextStep(
            "prove",
            "reread",
            title + (f", cylinder {spot['cylinder']}" if "cylinder" in spot else ""),
            where=missing.where,
            because=missing.because,
            minutes=test.minutes if test else None,
        )
    if missing.what == "certainty" and missing.id in knowledge.proofs.conditions:
        return NextStep(
            "prove", "drive", knowledge.proofs.conditions[missing.id].does, missing.where, missing.because
        )
    if missing.what == "certainty":
        if n := assessed.proposals.first:
            return judge_first(assessed, n) or test_step(knowledge, n)
        return NextStep("decide", "decide", "Decide what else to repair", Place(Page.DECIDE), missing.because)
    if missing.what == "suspect":
        return NextStep(
            "prove",
            "test",
            f"Settle the other suspect: {inside(knowledge.faults[missing.id].title)}",
            missing.where,
            missing.because,
        )
    if missing.what == "drive":
        return NextStep(
            "prove", "drive", "Drive further, and note whether it came back", missing.where, missing.because
        )
    if missing.what == "condition":
        shape = knowledge.proofs.conditions[missing.id]
        because = sentence(missing.because.removeprefix(f"{shape.does}: "))
        return NextStep("prove", "drive" if shape.drive else "prove", shape.does, missing.where, because)
    if missing.what == "piece":
        return NextStep("fit", "fit", f"Find the missing piece: {missing.id}", missing.where, missing.because)
    does = {
        key: value.does
        for named in (knowledge.proofs.checks, knowledge.proofs.resets)
        for key, value in named.items()
    }
    return NextStep("prove", "prove", does.get(missing.id, missing.because), missing.where, missing.because)
