"""The zones beside the work: heat list, next tests, tape."""

from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from frosty_piston.core.codes import decode
from frosty_piston.core.quantity import exact, percent, plain
from frosty_piston.core.words import inside, listed, spoken
from frosty_piston.job.entries import Entry
from frosty_piston.job.plan import warmth
from frosty_piston.job.proposals import NextTest
from frosty_piston.job.where import page_of
from frosty_piston.knowledge import Knowledge, load_knowledge
from frosty_piston.store.workshop import JobRecord

from .air_benches import AIR_BENCHES

SHOWN_SUSPECTS, SHOWN_TESTS, SHOWN_TAPE = 7, 5, 12
PATTERN_BITS = 0.7
STATE_WORDS = {
    "engine_cold": "Engine is cold now",
    "engine_hot": "Engine is hot now",
    "raised": "Vehicle is raised",
    "customer_waits": "The customer waits",
}
METHODS = {
    "glow_resistance": "ohm",
    "glow_lamp_test": "lamp",
    "glow_current": "current",
    "glow_bench_heat": "heat",
}


def bench_link(job_id: str, test: str, point: str | None = None, node: str | None = None) -> str:
    """The address of the place where a test is made."""
    k = load_knowledge()
    page = page_of(k, test, node or "")
    bench = page.removeprefix("measure/")
    if bench in AIR_BENCHES:
        return f"/jobs/{job_id}/{page}#step-{test}{f'-{node}' if node else ''}"
    if bench not in k.benches:
        return f"/jobs/{job_id}/{page}" + (f"?node={node}" if node else "")
    query = f"?method={METHODS[test]}" + (f"&point={point}" if point else "") if test in METHODS else ""
    return f"/jobs/{job_id}/{page}{query}"


def place_link(job_id: str, where: dict[str, Any]) -> str:
    """The address of where something is done, as the assessment names it."""
    if "test" in where:
        return bench_link(
            job_id,
            str(where["test"]),
            str(where.get("point") or "") or None,
            str(where.get("node") or "") or None,
        )
    return f"/jobs/{job_id}/{where['page']}" + (f"#{where['at']}" if where.get("at") else "")


def test_link(job_id: str, n: NextTest) -> str:
    """Where a proposed test is made."""
    return bench_link(job_id, n.test, n.where.get("point"), n.where.get("node"))


def next_view(record: JobRecord) -> dict[str, Any]:
    """What is next now, with its link: the same words wherever it stands."""
    step = record.standing.next_at(datetime.now(UTC))
    return {"step": step, "link": place_link(record.job.id, step.where)}


def heat_view(record: JobRecord) -> dict[str, Any]:
    """The suspects that are worth a look, `unlisted` always, and the tests that stand first."""
    suspicion = record.assessed.suspicion
    if not record.assessed.evidence:
        return {"suspects": [], "tests": [], "conflicts": [], "unlisted": None}
    listed = [s for s in suspicion.suspects[:-1] if s.probability >= 0.01][:SHOWN_SUSPECTS] or list(
        suspicion.suspects[:3]
    )
    return {
        "suspects": [
            {
                "s": s,
                "percent": percent(s.probability),
                "width": round(max(s.probability, 0.01) * 100, 1),
                "warmth": warmth(s.probability),
                "pattern": any(
                    m.pattern and abs(m.bits) >= PATTERN_BITS for m in (*s.speaks_for, *s.speaks_against)
                ),
            }
            for s in listed
        ],
        "unlisted": {
            "s": suspicion.suspects[-1],
            "percent": percent(suspicion.suspects[-1].probability),
            "width": round(suspicion.suspects[-1].probability * 100, 1),
        },
        "tests": [
            {"n": n, "link": test_link(record.job.id, n)}
            for n in record.assessed.proposals.next_tests[:SHOWN_TESTS]
        ],
        "conflicts": suspicion.conflicts,
    }


@dataclass(frozen=True)
class TapeRow:
    id: str
    at: datetime | None
    by: str
    kind: str
    says: str
    gone: bool
    fresh: bool
    correctable: bool


def tape_view(record: JobRecord, k: Knowledge, everything: bool = False) -> dict[str, Any]:
    """The newest entries first, what was taken back struck through, what takes it back named."""
    job = record.job
    entries = list(job.tape) if everything else list(job.tape[-SHOWN_TAPE:])
    says = {x.id: x for x in job.tape}
    rows = [
        TapeRow(
            x.id,
            x.at or record.written.get(x.id),
            x.by or "",
            x.kind,
            entry_says(x, k, says),
            x.id in job.gone,
            x.id == job.tape[-1].id,
            x.id not in job.gone,
        )
        for x in reversed(entries)
    ]
    return {"rows": rows, "more": len(job.tape) - len(rows), "count": len(job.tape)}


def short_title(k: Knowledge, test: str) -> str:
    """A test's title up to its first comma or colon, as a line of the tape has room for."""
    return k.tests[test].title.split(",")[0].split(":")[0]


def _place(where: Any) -> str:
    parts = [f"cylinder {where.cylinder}" if where.cylinder else "", spoken(where.point or "")]
    parts += [spoken(str(x)) for x in (where.bank, where.node, where.pin, where.channel) if x]
    return ", ".join(p for p in parts if p)


def entry_says(x: Entry, k: Knowledge, known: dict[str, Entry]) -> str:
    """One plain line for any entry."""
    d = x.data
    match x.kind:
        case "complaint":
            return d.text
        case "symptom":
            return k.symptoms[d.symptom].title + ("" if d.present else ": no")
        case "context":
            return k.contexts[d.context].title + ("" if d.present else ": no")
        case "condition":
            return f"{d.name.replace('_', ' ').capitalize()} {exact(d.value)} {d.unit}"
        case "state":
            return STATE_WORDS[d.state] if d.on else f"No longer: {STATE_WORDS[d.state].lower()}"
        case "lamp":
            return f"Lamp: {d.lamp}, {d.state}"
        case "code":
            known_code = k.codes.get(decode(d.code).code)
            return (
                f"{d.code} {d.status.replace('_', ' ')}:"
                f" {known_code.title if known_code else d.text or decode(d.code).says}"
            )
        case "code_scan":
            return f"Codes read, modules: {d.module}"
        case "code_clear":
            return f"Codes cleared, modules: {d.module}"
        case "instrument":
            parts = [
                f"lead zero {exact(d.lead_zero)} {d.unit or ''}".strip() if d.lead_zero is not None else "",
                f"{plain(d.accuracy_percent)} %" if d.accuracy_percent is not None else "",
                f"{plain(d.accuracy_digits)} digits" if d.accuracy_digits is not None else "",
                f"step {plain(d.resolution)}" if d.resolution is not None else "",
                f"{plain(d.rated_w)} W" if d.rated_w is not None else "",
            ]
            return f"{d.instrument.capitalize()}: {', '.join(p for p in parts if p)}"
        case "reading":
            value = "OL" if d.value == "OL" else f"{exact(d.value)} {d.unit}"
            place = _place(d.where)
            return f"{short_title(k, d.test)}{', ' + place if place else ''}: {value}"
        case "outcome":
            figures = ", ".join(
                f"{key.replace('_', ' ')} {value if isinstance(value, bool) else exact(value)}"
                for key, value in (d.figures or {}).items()
            )
            place = _place(d.where)
            return (
                f"{short_title(k, d.test)}{', ' + place if place else ''}:"
                f" {' '.join(filter(None, ((d.outcome or '').replace('_', ' '), figures)))}"
            )
        case "action":
            turn = d.cleaning
            measured = (
                f", {turn.measured or 'measured'} {plain(turn.before)} to {plain(turn.after)}"
                f" {turn.unit or ''}".rstrip()
                if turn and turn.before is not None and turn.after is not None
                else ""
            )
            return (
                f"{d.action.replace('_', ' ').capitalize()}: {d.what}"
                + (" (temporary)" if d.temporary else "")
                + (f", {plain(turn.minutes)} min{measured}" if turn else "")
            )
        case "option":
            titles = [k.options[o].title if o in k.options else spoken(o) for o in d.option.split("+")]
            return f"{'Picked' if d.chosen else 'Priced'}: {d.title or listed(titles)}" + (
                f". {d.reason}" if d.reason else ""
            )
        case "consent":
            ceiling = f", up to {d.ceiling // 100}" if d.ceiling else ""
            return f"Owner says {d.answer}: {d.who}, {d.how.replace('_', ' ')}{ceiling}"
        case "warning":
            return f"Warning ({d.urgency}): {d.text}"
        case "fit_step":
            return _fit_says(d, k)
        case "piece":
            length = f", {plain(d.length_mm)} mm long" if d.length_mm else ""
            return f"Piece {d.name}: {'missing' if d.now == 'missing' else d.now}{length}"
        case "circuit":
            return f"Vacuum circuit: {len(d.parts)} parts, {len(d.hoses)} hoses"
        case "trim":
            return f"Trim code, cylinder {d.cylinder}: {d.code}"
        case "reset_step":
            return f"Reset {spoken(d.step)}: {d.result}" + (f" ({d.because})" if d.because else "")
        case "top_up":
            return f"DEF topped up: {plain(d.litres)} l, {d.source}"
        case "wait":
            if d.state == "ended":
                return f"Wait over: {d.what}" + (f". {d.seen}" if d.seen else "")
            return f"Waiting: {d.what}"
        case "proof_step":
            about = k.faults[d.about].title if d.about else spoken(d.step)
            return f"Proof, {inside(about)}: {spoken(d.result)}" + (f" ({d.reason})" if d.reason else "")
        case "drive":
            return _drive_says(d)
        case "deadline":
            return f"Needed by {d.until.astimezone():%a %d %b %H:%M}"
        case "before":
            return f"Before: {d.text}"
        case "tick":
            return f"Read and understood: {k.cautions[d.caution].title}"
        case "card_change":
            return f"Changed: {', '.join(key.replace('_', ' ') for key in d.changes)}"
        case "handover":
            return f"Handed over to {d.to}"
        case "soot_cause":
            return f"{k.soot.causes[d.cause].title}: {'found' if d.found else 'not found'}"
        case "correction":
            target = known.get(d.corrects)
            return f"Takes back: {entry_says(target, k, known) if target else d.corrects} ({d.reason})"
        case "trace":
            return (
                f"Recording: {d.file or 'in place'},"
                f" {', '.join(c.replace('_', ' ') for c in list(d.channels)[:5])}"
                + (f" and {len(d.channels) - 5} more" if len(d.channels) > 5 else "")
            )
        case "stretch":
            return f"Stretch marked: {d.name}, {plain(d.start_s)} to {plain(d.end_s)} s"
    return getattr(d, "text", x.kind)


def _fit_says(d: Any, k: Knowledge) -> str:
    """A step of a work plan, what was noted at it, or what is back on."""
    step = next((s for s in k.repairs[d.plan].steps if s.id == d.step), None)
    title = step.does if step else spoken(d.step)
    if d.state == "part":
        if d.hardware:
            return "On the bench: " + "; ".join(
                ", ".join(filter(None, (h.what, h.where, h.mark))) for h in d.hardware
            )
        return "Back on" + (f" ({d.reason})" if d.reason else "")
    extra = [
        f"cylinder {d.cylinder}" if d.cylinder else "",
        f"{exact(d.torque_nm)} N m" if d.torque_nm is not None else "",
        f"{d.pieces} parts" if d.pieces is not None else "",
    ]
    return f"{'Done' if d.state == 'done' else 'Skipped'}: {title}" + "".join(f", {e}" for e in extra if e)


def _drive_says(d: Any) -> str:
    spans = [
        f"{plain(d.distance_km)} km" if d.distance_km is not None else "",
        f"{plain(d.starts)} starts" if d.starts is not None else "",
        f"{plain(d.hours)} h" if d.hours is not None else "",
    ]
    codes = (
        f"codes back: {', '.join(d.codes_back)}"
        if d.codes_back
        else "no code back"
        if d.read
        else "codes not read"
    )
    complaint = (
        "" if d.complaint_back is None else f", complaint {'back' if d.complaint_back else 'not back'}"
    )
    return f"Drove {', '.join(s for s in spans if s)}: {codes}{complaint}"
