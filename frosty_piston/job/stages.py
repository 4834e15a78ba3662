"""The six stages of a job: where it stands, what each holds, what is next."""

from dataclasses import dataclass

from .assessment import Assessed
from .decide import condemned
from .fit import chosen, consent, plan_state
from .prove import Proof, prove

STAGES = ("arrive", "narrow", "measure", "decide", "fit", "prove")
TITLES = {s: s.capitalize() for s in STAGES}


@dataclass(frozen=True)
class StageState:
    id: str
    title: str
    state: str
    holds: str


@dataclass(frozen=True)
class Standing:
    """Where a job stands: its stages, the one to work in, the next step in words, how proven, whether closed."""

    stages: tuple[StageState, ...]
    now: str
    next_step: str
    proof: Proof
    closed: bool


def _count(number: int, one: str, many: str | None = None) -> str:
    return f"{number} {one if number == 1 else many or one + 's'}"


def standing(assessed: Assessed) -> Standing:
    """Work out where a job stands from what is on its tape."""
    job, proof = assessed.job, prove(assessed)
    complaint = any(True for _ in job.of("complaint", "symptom"))
    codes = sum(1 for _ in job.of("code"))
    scanned = codes or job.last("code_scan") is not None or job.codes_lost
    measured = [v for v in assessed.now]
    bad = [v for v in assessed.diagnosis if v.judgement.verdict == "failed"]
    picked, yes = chosen(job), consent(job)
    agreed = yes is not None and yes.data.answer == "yes"
    fitted = job.fitted
    closed = job.last("handover") is not None
    holds = {
        "arrive": ", ".join(filter(None, (_count(len(job.symptoms), "symptom") if job.symptoms else "", _count(codes, "code") if codes else "no codes yet" if not scanned else "codes read"))),
        "narrow": f"{assessed.suspicion.suspects[0].title}, {round(assessed.suspicion.suspects[0].probability * 100)} %" if complaint else "",
        "measure": f"{_count(len(measured), 'reading')}, {len(bad)} failed" if measured else "",
        "decide": ("agreed" if agreed else "owner said no" if yes else "picked, not agreed") if picked or yes else "",
        "fit": "fitted" if fitted else _fit_holds(assessed),
        "prove": {"none": "", "open": "", "on_trial": "on trial", "proven": "proven", "failed": "failed"}[proof.status],
    }
    done = {"arrive": complaint and bool(scanned), "narrow": bool(measured), "measure": bool(bad) and (picked is not None), "decide": agreed, "fit": fitted,
            "prove": proof.status == "proven"}
    now = next((s for s in STAGES if not done[s]), "prove")
    if fitted:
        now = "prove"
    elif agreed:
        now = "fit"
    elif picked:
        now = "decide"
    elif complaint and now == "narrow" and scanned:
        now = "measure" if measured else "narrow"
    if proof.status == "failed":
        now = "narrow"
    stages = tuple(StageState(s, TITLES[s], "now" if s == now else "done" if done[s] else "open", holds[s]) for s in STAGES)
    return Standing(stages, now, _next_step(assessed, now, complaint, bool(scanned), proof, closed), proof, closed)


def _fit_holds(assessed: Assessed) -> str:
    picked = chosen(assessed.job)
    shape = assessed.knowledge.options.get(picked.data.option) if picked else None
    if shape is None:
        return ""
    plan = plan_state(assessed.job, assessed.knowledge, shape.plan, ())
    done = sum(1 for s in plan.steps if s.state != "open")
    return f"{done} of {len(plan.steps)} steps" if done else ""


def _next_step(assessed: Assessed, now: str, complaint: bool, scanned: bool, proof: Proof, closed: bool) -> str:
    if closed:
        return "Handed over"
    if not complaint:
        return "Write down the complaint"
    if not scanned:
        return "Read the codes, or say there are none"
    if now in ("narrow", "measure"):
        top = assessed.suspicion.suspects[0]
        _, only_connector = condemned(assessed)
        if top.probability > 0.9 and only_connector:
            return f"Read cylinder {', '.join(map(str, sorted(only_connector)))} again at the plug itself"
        if top.probability > 0.9 and assessed.diagnosis:
            return f"{top.title}: decide"
        tests = assessed.proposals.next_tests
        return tests[0].title if tests else "Decide: no test left that would tell more"
    if now == "decide":
        return "Get the owner's yes and ceiling"
    if now == "fit":
        return "Fit, step by step"
    return {"proven": "Hand over"}.get(proof.status, next((s.shape.does for s in proof.steps if s.result == "open"), proof.because))
