"""The six stages of a job: where it stands and what each holds."""

from dataclasses import dataclass
from datetime import datetime

from frosty_piston.core.quantity import percent
from frosty_piston.core.words import counted, sentence

from .assessment import Assessed
from .entries import Code, CodeScan, Complaint, Handover, Symptom
from .next_step import NextStep, next_step
from .repair.basket import agreed
from .repair.fit import chosen, consent
from .repair.prove import Proof, prove
from .repair.waits import open_waits
from .repair.work import all_done, to_do

STAGES = ("arrive", "narrow", "measure", "decide", "fit", "prove")
TITLES = {s: sentence(s) for s in STAGES}
LITTLE_LEFT = 0.05
PROOF_WORDS = {"none": "", "on_trial": "on trial", "proven": "proven", "failed": "failed"}


@dataclass(frozen=True)
class StageState:
    id: str
    title: str
    state: str
    holds: str


@dataclass(frozen=True)
class Standing:
    """Where a job stands: its stages, the one to work in, what is next once no wait holds it, how proven,
    whether closed."""

    assessed: Assessed
    stages: tuple[StageState, ...]
    now: str
    after_waits: NextStep
    proof: Proof
    closed: bool

    def next_at(self, moment: datetime | None) -> NextStep:
        """What is next at a moment: the wait that runs, else the work."""
        waits = open_waits(self.assessed.job)
        return next_step(self.assessed, self.proof, moment) if waits else self.after_waits


def standing(assessed: Assessed) -> Standing:
    """Work out where a job stands from what is on its tape."""
    job = assessed.job
    proof = prove(assessed)
    following = next_step(assessed, proof, waiting=False)
    complaint = any(True for _ in job.of(Complaint, Symptom))
    codes = sum(1 for _ in job.of(Code))
    scanned = bool(codes) or job.last(CodeScan) is not None or job.codes_lost
    measured = assessed.now
    bad = [v for v in assessed.diagnosis if v.judgement.verdict == "failed"]
    yes = agreed(job)
    fitted = all_done(assessed)
    holds = {
        "arrive": ", ".join(
            filter(
                None,
                (
                    counted(len(job.complaints), "symptom") if job.complaints else "",
                    _codes_say(codes, scanned),
                ),
            )
        ),
        "narrow": _narrow_says(assessed) if complaint else "",
        "measure": f"{counted(len(measured), 'reading')}, {len(bad)} failed" if measured else "",
        "decide": _decide_says(assessed),
        "fit": "fitted" if fitted else _fit_says(assessed),
        "prove": _prove_says(proof),
    }
    done = {
        "arrive": complaint and scanned,
        "narrow": bool(measured),
        "measure": bool(bad) and chosen(job) is not None,
        "decide": yes,
        "fit": fitted,
        "prove": proof.status == "proven",
    }
    now = _now(assessed, done, complaint, scanned=scanned, proof=proof, following=following)
    reached = {s: "done" if done[s] else "open" for s in STAGES} | {now: "now"}
    stages = tuple(StageState(s, TITLES[s], reached[s], holds[s]) for s in STAGES)
    return Standing(assessed, stages, now, following, proof, job.last(Handover) is not None)


def _now(
    assessed: Assessed,
    done: dict[str, bool],
    complaint: bool,
    scanned: bool,
    proof: Proof,
    following: NextStep,
) -> str:
    if proof.status == "failed" and (done["fit"] or chosen(assessed.job) is None):
        return "narrow"
    if done["fit"]:
        return "prove"
    if done["decide"]:
        return "fit"
    if chosen(assessed.job):
        return "decide"
    if complaint and scanned:
        if following.kind == "decide":
            return "decide"
        if assessed.now:
            return "measure"
        return "narrow"
    return "arrive"


def _codes_say(codes: int, scanned: bool) -> str:
    if codes:
        return counted(codes, "code")
    if scanned:
        return "codes read"
    return "no codes yet"


def _narrow_says(assessed: Assessed) -> str:
    if not assessed.evidence:
        return ""  # what is only common is no suspicion
    top = assessed.suspicion.suspects[0]
    return (
        f"{top.title}, {percent(top.probability)}"
        if top.probability >= LITTLE_LEFT or not assessed.job.repairs
        else "little left"
    )


def _decide_says(assessed: Assessed) -> str:
    job = assessed.job
    said = consent(job)
    if agreed(job):
        return "agreed"
    if said is not None and said.data.answer == "no":
        return "owner said no"
    return "picked, not agreed" if chosen(job) else ""


def _fit_says(assessed: Assessed) -> str:
    work = to_do(assessed)
    steps = [s for w in work for s in w.plan.steps]
    done = sum(1 for s in steps if s.state in ("done", "skipped"))
    on_bench = sum(len(w.plan.on_bench) for w in work)
    return (
        (f"{done} of {len(steps)} steps" + (f", {on_bench} on the bench" if on_bench else ""))
        if done or on_bench
        else ""
    )


def _prove_says(proof: Proof) -> str:
    return PROOF_WORDS[proof.status] + (
        f", {percent(proof.sure)}" if proof.sure and proof.status in ("on_trial", "proven") else ""
    )
