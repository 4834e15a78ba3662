"""The report: one page for the owner, and behind it the record for the next technician."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass

from frosty_piston.core.quantity import percent, plain
from frosty_piston.core.words import called, sentence, sign, spoken
from frosty_piston.job.assessment import Assessed
from frosty_piston.job.entries import Complaint, Entry, ProofStep, Warning_
from frosty_piston.job.judging.measured import measured_says
from frosty_piston.job.judging.result import Result, place
from frosty_piston.job.repair.basket import bill
from frosty_piston.job.repair.fit import PieceState, consent, pieces_of
from frosty_piston.job.repair.prove import Pair, Proof, owner_words, prove
from frosty_piston.job.repair.soot import soot_says
from frosty_piston.job.weighing.stopping import measures_on

MOST_FIGURES = 3
WORTH_A_LINE = 0.03
WATCH_FROM = 0.05
MOST_LINES = 4
LONGEST_LINE = 240
URGENCY = {"stop": "Stop: do not drive", "soon": "Soon", "watch": "Watch"}


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
    baskets: tuple[tuple[str, int | None], ...]
    ceiling: int | None
    who_agreed: str
    odometer: str
    verdicts_before: tuple[Result, ...]
    verdicts_after: tuple[Result, ...]
    suspects: tuple[tuple[str, str, str], ...]
    parked: tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class Part:
    """A part of the owner's page: what fits on one page, and whole what did not, for the record."""

    title: str
    lines: tuple[str, ...]
    rest: tuple[str, ...] = ()
    wide: bool = False


def shortened(line: str, longest: int = LONGEST_LINE) -> str:
    """A line as long as the owner's page bears, cut between words."""
    if len(line) <= longest:
        return line
    return f"{line[: longest - 1].rsplit(' ', 1)[0][: longest - 1].rstrip(' .,;:')}…"


def _part(
    title: str, lines: Iterable[str], empty: str = "", most: int = MOST_LINES, wide: bool = False
) -> Part:
    every = tuple(lines) or ((empty,) if empty else ())
    shown = tuple(shortened(x) for x in every[:most])
    rest = tuple(x for n, x in enumerate(every) if n >= most or len(x) > LONGEST_LINE)
    left = len(every) - len(shown)
    more = (f"And {left} more; they stand in the record.",) if left > 0 else ()
    return Part(title, shown + more, rest, wide)


def owner_parts(report: Report, money: Callable[[int], str]) -> tuple[Part, ...]:
    """The owner's page part by part, bounded so that it stays one page; `money` says an amount."""
    cost = ["No price yet."]
    if report.price is not None:
        cost = [
            money(report.price)
            + (f" of at most {money(report.ceiling)}" if report.ceiling is not None else "")
            + (
                ": above what was agreed"
                if report.ceiling is not None and report.price > report.ceiling
                else ""
            )
        ]
        if len(report.baskets) > 1:
            cost += [
                f"{title}: {money(price) if price is not None else 'no price'}"
                for title, price in report.baskets
            ]
    pieces = (
        f"{piece.name}: {piece.entry.data.now}"
        + (
            f", {plain(piece.entry.data.length_mm)} of"
            f" {plain(piece.entry.data.whole_mm) if piece.entry.data.whole_mm else '?'} mm"
            if piece.entry.data.length_mm
            else ""
        )
        + "."
        for piece in report.pieces
    )
    proven = [report.proven, *(f"Not done: {c.rstrip('. ')}." for c in report.reasons)]
    parts = (
        _part("Done", (f"{d.rstrip('. ')}." for d in report.done), "Nothing yet."),
        _part("Proven", proven, most=MOST_LINES + 1),
        _part("Still open", report.open, wide=True),
        _part("Watch for", report.watch, wide=True),
        _part("Pieces", pieces, wide=True),
        _part("Other codes found, left alone", (f"{code} {says}" for code, says in report.parked), wide=True),
        _part("Do differently", report.advice, "Nothing to change."),
        _part("Cost", [*cost, *([f"Agreed: {report.who_agreed}"] if report.who_agreed else [])]),
    )
    return tuple(p for p in parts if p.lines)


def lines_of(parts: Iterable[Part], wide: int = 96, narrow: int = 46) -> int:
    """About how many printed lines some parts take: two narrow parts stand beside each other."""

    def of(p: Part) -> int:
        return 2 + sum(-(-len(x) // (wide if p.wide else narrow)) for x in p.lines)

    row = [p for p in parts if not p.wide]
    pairs = [max(of(p) for p in row[n : n + 2]) for n in range(0, len(row), 2)]
    return sum(of(p) for p in parts if p.wide) + sum(pairs)


def head_parts(report: Report) -> tuple[Part, ...]:
    """What stands above the figures: complaint and what was found."""
    return (
        _part("Complaint", [report.complaint] if report.complaint else [], "Not written down."),
        _part("Found", report.found),
    )


def warned(report: Report) -> tuple[tuple[str, str], ...]:
    """What the owner must know first, the gravest first: how urgent, and what."""
    order = list(URGENCY)
    said = [
        (
            warning.data.urgency,
            shortened(
                f"{URGENCY[warning.data.urgency]}: {warning.data.text.rstrip('. ')}"
                f"{f' ({warning.data.place})' if warning.data.place else ''}."
                f"{f' Picture: {warning.data.picture}.' if warning.data.picture else ''}"
                f" Owner: {called(warning.data.owner)}."
            ),
        )
        for warning in sorted(report.warnings, key=lambda x: order.index(x.data.urgency))
    ]
    left = len(said) - MOST_LINES
    more = (("watch", f"And {left} more; they stand on the tape."),) if left > 0 else ()
    return (*said[:MOST_LINES], *more)


def build_report(assessed: Assessed) -> Report:
    """Put the report of a job together from its tape alone."""
    job = assessed.job
    knowledge = assessed.knowledge
    proof = prove(assessed)
    complaint = job.last(Complaint)
    symptoms = [knowledge.symptoms[s].title for s in job.complaints]
    comes_to = bill(job, knowledge)
    yes = consent(job)
    return Report(
        complaint=(complaint.data.text + " " if complaint else "")
        + (f"({'; '.join(symptoms)})" if symptoms else ""),
        found=_found(assessed),
        figures=_figures(assessed, proof),
        done=tuple(_act_says(x) for x in (*job.repairs, *measures_on(job))),
        proof=proof,
        proven=owner_words(proof, knowledge),
        open=tuple(m.because for m in proof.missing),
        watch=_watch(assessed),
        reasons=_reasons(assessed),
        warnings=tuple(job.of(Warning_)),
        advice=_advice(assessed),
        pieces=pieces_of(job),
        price=comes_to.total,
        baskets=tuple((r.entry.data.title or "", r.price) for r in comes_to.rounds),
        ceiling=comes_to.ceiling,
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
    knowledge = assessed.knowledge
    sentences = []
    for time in assessed.suspicion.chain:
        if time.done is None or time.before is None or not time.done.is_repair:
            continue
        stood = sorted(
            (
                (time.before.odds(f), f)
                for f in knowledge.repairs[time.done.entry.data.repair].cures
                if f in time.space.place
            ),
            reverse=True,
        )
        if stood:
            sentences.append(
                f"{knowledge.faults[stood[0][1]].title} ({percent(stood[0][0])} sure before the repair)."
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
    knowledge = assessed.knowledge
    pairs = sorted(proof.pairs, key=lambda p: p.before.judgement.verdict != "failed")
    if not pairs:
        bad = [v for v in assessed.diagnosis if v.judgement.verdict == "failed"] or [
            v for v in assessed.diagnosis if v.judgement.verdict == "marginal"
        ]
        pairs = [Pair(v, None) for v in bad]
    return tuple(
        Shown(
            ", ".join(x for x in (knowledge.tests[pair.before.test].title, place(pair.before)) if x),
            measured_says(assessed.job, pair.before),
            measured_says(assessed.job, pair.after) if pair.after else "",
            shortened(pair.before.judgement.because),
        )
        for pair in pairs[:MOST_FIGURES]
    )


def _act_says(entry: Entry) -> str:
    data = entry.data
    if data.temporary and data.come_back:
        back = f" (temporary; comes back {data.come_back})"
    elif data.temporary:
        back = " (temporary)"
    else:
        back = ""
    return f"{sentence(spoken(data.action))}: {data.what}{back}"


def _watch(assessed: Assessed) -> tuple[str, ...]:
    """What may still be wrong, for the owner to watch; only after a repair."""
    if not assessed.job.repairs:
        return ()
    knowledge = assessed.knowledge
    left = [s for s in assessed.suspicion.suspects[:-1] if s.probability >= WATCH_FROM][:MOST_FIGURES]
    return tuple(f"{s.title} ({percent(s.probability)}): {knowledge.faults[s.fault].shows}." for s in left)


def _reasons(assessed: Assessed) -> tuple[str, ...]:
    """What could not be done, and why."""
    knowledge = assessed.knowledge
    proofs = knowledge.proofs
    does = {
        key: s.does for named in (proofs.checks, proofs.resets, proofs.conditions) for key, s in named.items()
    }
    said = [x for x in assessed.job.of(ProofStep) if x.data.result == "could_not"]
    return tuple(
        (knowledge.faults[x.data.about].title if x.data.about else does[x.data.step]) + f": {x.data.reason}"
        for x in said
    )


def _advice(assessed: Assessed) -> tuple[str, ...]:
    knowledge = assessed.knowledge
    soot = soot_says(assessed)
    return (
        *((soot,) if soot else ()),
        *(knowledge.contexts[c].advice for c in assessed.job.contexts if knowledge.contexts[c].advice),
    )


def _odometer(assessed: Assessed) -> str:
    job = assessed.job
    said = job.condition("odometer")
    if said:
        return f"{plain(said.data.value)} {sign(said.data.unit)}"
    return job.vehicle.odometer


def _suspects(assessed: Assessed) -> tuple[tuple[str, str, str], ...]:
    """The suspects as they stood at the last repair."""
    if not assessed.evidence:
        return ()
    return tuple(
        (s.title, percent(s.probability), s.because)
        for s in assessed.found.suspects
        if s.probability >= WORTH_A_LINE
    )
