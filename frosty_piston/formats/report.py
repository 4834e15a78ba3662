"""The report: one page for the owner, and behind it the record for the next technician."""

from dataclasses import dataclass

from frosty_piston.core.quantity import percent, plain
from frosty_piston.job.assessment import Assessed
from frosty_piston.job.entries import Entry
from frosty_piston.job.fit import chosen, consent
from frosty_piston.job.prove import Proof, prove
from frosty_piston.job.soot import soot_says
from frosty_piston.job.verdict import Verdict, place

MOST_FIGURES = 3


@dataclass(frozen=True)
class Shown:
    """One figure that shows the fault: what was measured where, before, and after the repair."""

    what: str
    before: str
    after: str
    because: str


@dataclass(frozen=True)
class Report:
    complaint: str
    found: str
    figures: tuple[Shown, ...]
    done: tuple[str, ...]
    proof: Proof
    could_not: tuple[str, ...]
    warnings: tuple[Entry, ...]
    advice: tuple[str, ...]
    price: int | None
    ceiling: int | None
    who_agreed: str
    odometer: str
    verdicts_before: tuple[Verdict, ...]
    verdicts_after: tuple[Verdict, ...]
    suspects: tuple[tuple[str, str, str], ...]
    parked: tuple[tuple[str, str], ...]


def figure(v: Verdict) -> str:
    j = v.judgement
    if j.value is None:
        return j.cls.replace("_", " ")
    return f"{plain(j.value)} {j.unit or ''}".strip()


def build_report(assessed: Assessed) -> Report:
    """Put the report of a job together from its tape alone."""
    job, k, proof = assessed.job, assessed.knowledge, prove(assessed)
    complaint = job.last("complaint")
    symptoms = [k.symptoms[s].title for s, x in job.symptoms.items() if x.data.present]
    bad = [v for v in assessed.diagnosis if v.judgement.verdict == "failed"] or [v for v in assessed.diagnosis if v.judgement.verdict == "marginal"]
    twins = {(v.test, str(sorted(v.where.items()))): v for v in assessed.after}
    shown = []
    for v in bad[:MOST_FIGURES]:
        twin = twins.get((v.test, str(sorted(v.where.items()))))
        shown.append(Shown(f"{k.tests[v.test].title}{', ' + place(v) if place(v) else ''}", figure(v), figure(twin) if twin else "", v.judgement.because))
    top = assessed.suspicion.suspects[0]
    repaired = [x for x in job.repairs if x.data.repair]
    fault = next((s for s in assessed.suspicion.suspects if repaired and s.fault != "unlisted" and k.faults[s.fault].repair == repaired[-1].data.repair), top)
    found = f"{fault.title} ({percent(fault.probability)} sure before the repair)." if assessed.evidence else "Nothing was found yet."
    picked, yes = chosen(job), consent(job)
    odometer = job.condition("odometer")
    return Report(
        complaint=(complaint.data.text + " " if complaint else "") + (f"({'; '.join(symptoms)})" if symptoms else ""), found=found, figures=tuple(shown),
        done=tuple(f"{x.data.action.capitalize()}: {x.data.what}" + (f" (temporary; comes back {x.data.come_back})" if x.data.temporary else "") for x in job.repairs),
        proof=proof, could_not=tuple(f"{s.shape.does}: {s.note}" for s in proof.steps if s.result == "could_not"), warnings=tuple(job.of("warning")),
        advice=(*((soot,) if (soot := soot_says(assessed)) else ()), *(k.contexts[c].advice for c in job.contexts if k.contexts[c].advice)), price=picked.data.price if picked else None, ceiling=yes.data.ceiling if yes else None,
        who_agreed=f"{yes.data.who}, {yes.data.how.replace('_', ' ')}: {yes.data.answer}" if yes else "",
        odometer=f"{plain(odometer.data.value)} {odometer.data.unit}" if odometer else f"{plain(job.vehicle.odometer_km)} km" if job.vehicle.odometer_km else "",
        verdicts_before=tuple(assessed.diagnosis), verdicts_after=tuple(assessed.after),
        suspects=tuple((s.title, percent(s.probability), s.because) for s in assessed.suspicion.suspects if s.probability >= 0.03) if assessed.evidence else (),
        parked=tuple((c.entry.data.code, c.title) for c in assessed.codes if c.place == "parked"))
