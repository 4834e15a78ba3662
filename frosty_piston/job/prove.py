"""Prove: how far a repair is proven, and what is still missing."""

from dataclasses import dataclass
from datetime import datetime

from frosty_piston.core.proving import cured_given_pass
from frosty_piston.core.quantity import percent
from frosty_piston.core.waiting import TAU_H, TOUCHABLE_C, cold_soaked_after_h, fitted_tau_h, hours_until
from frosty_piston.knowledge.shapes import ProofStepShape

from .assessment import Assessed
from .entries import Entry
from .fit import chosen
from .soot import soot_causes
from .tape import Job
from .units import convert
from .verdict import Verdict

SOAK_HOURS = 8.0
GENERAL_WARM_C, GENERAL_OUTSIDE_C = 85.0, 10.0


@dataclass(frozen=True)
class ProofStepState:
    shape: ProofStepShape
    entry: Entry | None
    result: str
    note: str


@dataclass(frozen=True)
class Pair:
    """One place measured before and after the repair."""

    before: Verdict
    after: Verdict | None


@dataclass(frozen=True)
class Proof:
    """How proven a job is: `none` (nothing repaired), `open`, `on_trial`, `proven`, `failed`, with the reason."""

    status: str
    because: str
    repair: str
    recipe: str
    steps: tuple[ProofStepState, ...]
    pairs: tuple[Pair, ...]
    sure: float | None


def repair_of(assessed: Assessed) -> str | None:
    """The repair under proof: that of the last repairing action, else of the option picked."""
    acts = [x for x in assessed.job.repairs if x.data.repair]
    if acts:
        return acts[-1].data.repair
    picked = chosen(assessed.job)
    shape = assessed.knowledge.options.get(picked.data.option) if picked else None
    return shape.repair if shape else None


def prove(assessed: Assessed) -> Proof:
    """Fold the proof entries of a job. Only a cold start after a cold soak makes it proven."""
    job, k = assessed.job, assessed.knowledge
    repair = repair_of(assessed) or "general"
    recipe = k.proof_for(repair)
    last_repair = max((job.position[x.id] for x in job.repairs), default=-1)
    entries = {x.data.step: x for x in job.of("proof_step") if job.position[x.id] > last_repair}
    steps = []
    for shape in k.proofs[recipe].steps:
        entry = entries.get(shape.id)
        result, note = (entry.data.result, entry.data.reason or "") if entry else ("open", "")
        if entry and result == "pass" and shape.needs_cold and not was_cold(assessed, entry):
            result, note = "warm", "started before it was cold-soaked: no proof of a cold start"
        steps.append(ProofStepState(shape, entry, result, note))
    pairs = _pairs(assessed, recipe)
    if not job.repairs:
        return Proof("none", "Nothing is repaired yet.", repair, recipe, tuple(steps), pairs, None)
    odds = assessed.suspicion.repairs.get(repair, 0.5)
    status, because = _status(job, steps, pairs)
    unasked = [c for c in soot_causes(assessed) if c.state == "open"]
    if status == "proven" and unasked:
        status, because = "on_trial", f"What made the soot is not asked yet: {', '.join(c.shape.title[0].lower() + c.shape.title[1:] for c in unasked)}. Unasked, it comes back."
    sure = cured_given_pass(odds) if status == "proven" else None
    if sure is not None:
        because += f" Sure to {percent(sure)}: {percent(odds)} before, and a vehicle still broken passes one cold start in about seven (general)."
    return Proof(status, because, repair, recipe, tuple(steps), pairs, sure)


def _status(job: Job, steps: list[ProofStepState], pairs: tuple[Pair, ...]) -> tuple[str, str]:
    failed = [s for s in steps if s.result == "fail"]
    if failed:
        return "failed", f"Not cured: {failed[0].shape.does[0].lower()}{failed[0].shape.does[1:]} failed. Back to Narrow; what was measured since counts."
    worse = [p for p in pairs if p.after and p.after.judgement.verdict == "failed"]
    if worse:
        return "failed", f"Not cured: {worse[0].after.judgement.because} Press Failed at its step: the search goes on with what was measured since."
    temporary = [x for x in job.repairs if x.data.temporary]
    if temporary:
        return "on_trial", f"Temporary repair ({temporary[-1].data.what}), come back {temporary[-1].data.come_back or 'for the lasting one'}."
    cold = [s for s in steps if s.shape.needs_cold]
    if any(s.result != "pass" for s in cold):
        why = next(s for s in cold if s.result != "pass")
        return "on_trial", {"open": "The cold proof is still to come.", "warm": f"On trial: {why.note}."}.get(why.result, f"The cold proof could not be done: {why.note}.")
    missing = [s for s in steps if s.result == "open"]
    if missing:
        return "on_trial", f"Still to do: {', '.join(s.shape.does[0].lower() + s.shape.does[1:] for s in missing)}."
    skipped = [s for s in steps if s.result == "could_not" and s.shape.id == "remeasure"]
    if skipped:
        return "on_trial", f"The failing reading was not repeated: {skipped[0].note}."
    return "proven", "Every step passed, the cold start cold-soaked."


def was_cold(assessed: Assessed, entry: Entry) -> bool:
    """Tell whether a cold proof was really cold: hours standing written down, or a cold-soak wait that had ended."""
    if entry.data.soaked_h is not None:
        return entry.data.soaked_h >= SOAK_HOURS
    job = assessed.job
    for x in job.live[: job.position[entry.id]]:
        if x.kind == "wait" and x.data.wait == "cold_soak":
            if x.data.state == "ended":
                return True
            if x.data.until and entry.at and entry.at >= x.data.until:
                return True
    return False


def _pairs(assessed: Assessed, recipe: str) -> tuple[Pair, ...]:
    """Before beside after, for every place of the proof's tests that failed or was measured twice; of a repair without a
    proof of its own, for whatever failed."""
    tests = assessed.knowledge.proofs[recipe].remeasure
    after = {(v.test, str(sorted(v.where.items()))): v for v in assessed.after}
    found = []
    for v in assessed.diagnosis:
        if v.test in tests or not tests and v.judgement.verdict in ("failed", "marginal"):
            twin = after.get((v.test, str(sorted(v.where.items()))))
            if twin or v.judgement.verdict in ("failed", "marginal"):
                found.append(Pair(v, twin))
    read = {p.before.where.get("cylinder") for p in found if p.after}
    return tuple(p for p in found if p.after or p.before.where.get("cylinder") not in read)


def running_wait(job: Job, now: datetime) -> Entry | None:
    """The wait that is still running, the one that ends last."""
    ended = {x.data.ends for x in job.of("wait") if x.data.state == "ended"}
    running = [x for x in job.of("wait") if x.data.state == "started" and x.id not in ended and x.data.until and x.data.until > now]
    return max(running, key=lambda x: x.data.until, default=None)


@dataclass(frozen=True)
class Soak:
    """When an engine will be touchable and cold: temperatures in C, times in hours, and what of it is known."""

    start_c: float
    around_c: float
    tau_h: float
    fitted: bool
    guessed: bool
    touch_h: float | None
    cold_h: float


def soak_estimate(job: Job) -> Soak:
    """Estimate the cold soak from the last temperatures written down; two falling ones fit this vehicle's own cooling."""
    coolant, ambient = job.condition("coolant"), job.condition("ambient")
    start = convert(coolant.data.value, coolant.data.unit, "degC") if coolant else GENERAL_WARM_C
    around = convert(ambient.data.value, ambient.data.unit, "degC") if ambient else GENERAL_OUTSIDE_C
    fitted = _fitted_tau(job, around)
    tau = fitted or job.engine.limit("soak_tau_h") or TAU_H["engine_closed"]
    return Soak(start, around, tau, fitted is not None, coolant is None or ambient is None, hours_until(TOUCHABLE_C, start, around, tau),
                max(SOAK_HOURS, cold_soaked_after_h(start, around, tau)))


def _fitted_tau(job: Job, around: float) -> float | None:
    read = [(x.at, convert(x.data.value, x.data.unit, "degC")) for x in job.of("condition") if x.data.name == "coolant" and x.at]
    if len(read) < 2:
        return None
    (first_at, first), (second_at, second) = read[-2:]
    try:
        return fitted_tau_h(first, second, (second_at - first_at).total_seconds() / 3600, around)
    except ValueError:
        return None
