"""The report: one page for the owner, and behind it the record for the next technician."""

from dataclasses import dataclass

from frosty_piston.core.quantity import percent, plain
from frosty_piston.core.words import sentence, sign, spoken

from .assessment import Assessed
from .entries import Complaint, Entry, ProofStep, Warning_
from .fit import PieceState, chosen, consent, pieces_of
from .measured import measured_says
from .prove import Pair, Proof, owner_words, prove
from .result import Result, place
from .soot import soot_says

MOST_FIGURES, WORTH_A_LINE, WATCH_FROM = 3, 0.03, 0.05


@dataclass(frozen=True)
class Shown:
    """One figure that shows the fault: what was measured where, before, and after the repair."""

    what: str
    before: str
    after: str
    because: str


@dataclass(frozen=True)
class Report:
    """What the owner reads: found, done, proven and how sure, still open, watch for; and the record behind
    it."""

    complaint: str
    found: tuple[str, ...]
    figures: tuple[Shown, ...]
    done: tuple[str, ...]
    proof: Proof
    proven: str
    open: tuple[str, ...]
    watch: tuple[str, ...]
    reasons: tuple[str, ...]
    warnings: tuple[Entry, ...]
    advice: tuple[str, ...]
    pieces: tuple[PieceState, ...]
    price: int | None
    ceiling: int | None
    who_agreed: str
    odometer: str
    verdicts_before: tuple[Result, ...]
    verdicts_after: tuple[Result, ...]
    suspects: tuple[tuple[str, str, str], ...]
    parked: tuple[tuple[str, str], ...]


def build_report(assessed: Assessed) -> Report:
    """Put the report of a job together from its tape alone."""
    job, k, proof = assessed.job, assessed.knowledge, prove(assessed)
    complaint = job.last(Complaint)
    symptoms = [k.symptoms[s].title for s in job.complaints]
    picked, yes = chosen(job), consent(job)
    return Report(
        complaint=(complaint.data.text + " " if complaint else "")
        + (f"({'; '.join(symptoms)})" if symptoms else ""),
        found=_found(assessed),
        figures=_figures(assessed, proof),
        done=tuple(_act_says(x) for x in job.repairs),
        proof=proof,
        proven=owner_words(proof, k),
        open=tuple(m.because for m in proof.missing),
        watch=_watch(assessed),
        reasons=_reasons(assessed),
        warnings=tuple(job.of(Warning_)),
        advice=_advice(assessed),
        pieces=pieces_of(job),
        price=picked.data.price if picked else None,
        ceiling=yes.data.ceiling if yes else None,
        who_agreed=f"{yes.data.who}, {spoken(yes.data.how)}: {yes.data.answer}" if yes else "",
        odometer=_odometer(assessed),
        verdicts_before=tuple(assessed.diagnosis),
        verdicts_after=tuple(assessed.after),
        suspects=_suspects(assessed),
        parked=tuple((c.entry.data.code, c.title) for c in assessed.codes if c.place == "parked"),
    )


def _found(assessed: Assessed) -> tuple[str, ...]:
    """What was found: for every repair the likeliest of the faults that it cures, as it stood at the
    repair."""
    k, sentences = assessed.knowledge, []
    for time in assessed.suspicion.chain:
        if time.done is None or time.before is None or not time.done.is_repair:
            continue
        stood = sorted(
            (
                (time.before.odds(f), f)
                for f in k.repairs[time.done.entry.data.repair].cures
                if f in time.space.place
            ),
            reverse=True,
        )
        if stood:
            sentences.append(
                f"{k.faults[stood[0][1]].title} ({percent(stood[0][0])} sure before the repair)."
            )
    if sentences:
        return tuple(dict.fromkeys(sentences))
    top = assessed.suspicion.suspects[0]
    return (
        (f"{top.title} ({percent(top.probability)} sure).",)
        if assessed.evidence
        else ("Nothing was found yet.",)
    )


def _figures(assessed: Assessed, proof: Proof) -> tuple[Shown, ...]:
    """The three figures that show it, each before and after; before a repair what failed, or is marginal."""
    k = assessed.knowledge
    pairs = sorted(proof.pairs, key=lambda p: p.before.judgement.verdict != "failed")
    if not pairs:
        bad = [v for v in assessed.diagnosis if v.judgement.verdict == "failed"] or [
            v for v in assessed.diagnosis if v.judgement.verdict == "marginal"
        ]
        pairs = [Pair(v, None) for v in bad]
    return tuple(
        Shown(
            f"{k.tests[p.before.test].title}{', ' + place(p.before) if place(p.before) else ''}",
            measured_says(assessed.job, p.before),
            measured_says(assessed.job, p.after) if p.after else "",
            p.before.judgement.because,
        )
        for p in pairs[:MOST_FIGURES]
    )


def _act_says(x: Entry) -> str:
    d = x.data
    back = (
        f" (temporary; comes back {d.come_back})"
        if d.temporary and d.come_back
        else " (temporary)"
        if d.temporary
        else ""
    )
    return f"{sentence(spoken(d.action))}: {d.what}{back}"


def _watch(assessed: Assessed) -> tuple[str, ...]:
    """What may still be wrong, for the owner to watch; only after a repair."""
    if not assessed.job.repairs:
        return ()
    k = assessed.knowledge
    left = [s for s in assessed.suspicion.suspects[:-1] if s.probability >= WATCH_FROM][:MOST_FIGURES]
    return tuple(f"{s.title} ({percent(s.probability)}): {k.faults[s.fault].shows}." for s in left)


def _reasons(assessed: Assessed) -> tuple[str, ...]:
    """What could not be done, and why."""
    k = assessed.knowledge
    proofs = k.proofs
    does = {
        key: s.does for named in (proofs.checks, proofs.resets, proofs.conditions) for key, s in named.items()
    }
    said = [x for x in assessed.job.of(ProofStep) if x.data.result == "could_not"]
    return tuple(
        (k.faults[x.data.about].title if x.data.about else does[x.data.step]) + f": {x.data.reason}"
        for x in said
    )


def _advice(assessed: Assessed) -> tuple[str, ...]:
    k, soot = assessed.knowledge, soot_says(assessed)
    return (
        *((soot,) if soot else ()),
        *(k.contexts[c].advice for c in assessed.job.contexts if k.contexts[c].advice),
    )


def _odometer(assessed: Assessed) -> str:
    job = assessed.job
    said = job.condition("odometer")
    if said:
        return f"{plain(said.data.value)} {sign(said.data.unit)}"
    return f"{plain(job.vehicle.odometer_km)} km" if job.vehicle.odometer_km else ""


def _suspects(assessed: Assessed) -> tuple[tuple[str, str, str], ...]:
    """The suspects as they stood at the last repair."""
    if not assessed.evidence:
        return ()
    return tuple(
        (s.title, percent(s.probability), s.because)
        for s in assessed.found.suspects
        if s.probability >= WORTH_A_LINE
    )
