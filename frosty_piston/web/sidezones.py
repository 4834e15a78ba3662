"""The zones beside the work: heat list, next tests, tape."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from frosty_piston.core.codes import decode
from frosty_piston.core.quantity import exact, percent, plain
from frosty_piston.job.entries import Entry
from frosty_piston.job.plan import warmth
from frosty_piston.job.proposals import NextTest
from frosty_piston.knowledge import Knowledge
from frosty_piston.store.workshop import JobRecord

from .air_benches import AIR_BENCHES

SHOWN_SUSPECTS, SHOWN_TESTS, SHOWN_TAPE = 7, 5, 12
PATTERN_BITS = 0.7
BENCHES = {
    "glow_resistance": "glow", "glow_lamp_test": "glow", "glow_current": "glow", "glow_bench_heat": "glow", "glow_relay": "relay", "glow_on_time": "relay",
    "battery_rest": "battery", "battery_crank": "battery", "crank_speed": "battery", "cable_drop": "battery", "start_aid_compare": "battery", "cold_soak_temps": "battery",
}
# The steps of the air side's benches: a test, with its part where it has one.
AIR_STEPS = {step: bench for bench, shape in AIR_BENCHES.items() for step in shape.steps}
STATE_WORDS = {"engine_cold": "Engine is cold now", "engine_hot": "Engine is hot now", "raised": "Vehicle is raised", "customer_waits": "The customer waits"}
METHODS = {"glow_resistance": "ohm", "glow_lamp_test": "lamp", "glow_current": "current", "glow_bench_heat": "heat"}


def bench_link(job_id: str, test: str, point: str | None = None, node: str | None = None) -> str:
    if (test, node or "") in AIR_STEPS:
        return f"/jobs/{job_id}/measure/{AIR_STEPS[test, node or '']}#step-{test}{f'-{node}' if node else ''}"
    bench = BENCHES.get(test)
    if bench is None:
        return f"/jobs/{job_id}/measure/test/{test}" + (f"?node={node}" if node else "")
    query = f"?method={METHODS[test]}" + (f"&point={point}" if point else "") if test in METHODS else ""
    return f"/jobs/{job_id}/measure/{bench}{query}"


def test_link(job_id: str, n: NextTest) -> str:
    """Where a proposed test is made."""
    return bench_link(job_id, n.test, n.where.get("point"), n.where.get("node"))


def heat_view(record: JobRecord) -> dict[str, Any]:
    """The suspects that are worth a look, `unlisted` always, and the tests that stand first."""
    suspicion = record.assessed.suspicion
    if not record.assessed.evidence:
        return {"suspects": [], "tests": [], "conflicts": [], "unlisted": None}
    listed = [s for s in suspicion.suspects[:-1] if s.probability >= 0.01][:SHOWN_SUSPECTS] or list(suspicion.suspects[:3])
    return {
        "suspects": [{"s": s, "percent": percent(s.probability), "width": round(max(s.probability, 0.01) * 100, 1), "warmth": warmth(s.probability), "pattern": any(m.pattern and abs(m.bits) >= PATTERN_BITS for m in (*s.speaks_for, *s.speaks_against))} for s in listed],
        "unlisted": {"s": suspicion.suspects[-1], "percent": percent(suspicion.suspects[-1].probability), "width": round(suspicion.suspects[-1].probability * 100, 1)},
        "tests": [{"n": n, "link": test_link(record.job.id, n)} for n in record.assessed.proposals.next_tests[:SHOWN_TESTS]],
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
    rows = [TapeRow(x.id, x.at or record.written.get(x.id), x.by or "", x.kind, entry_says(x, k, says), x.id in job.gone, x.id == job.tape[-1].id, x.id not in job.gone)
            for x in reversed(entries)]
    return {"rows": rows, "more": len(job.tape) - len(rows), "count": len(job.tape)}


def short_title(k: Knowledge, test: str) -> str:
    """A test's title up to its first comma or colon, as a line of the tape has room for."""
    return k.tests[test].title.split(",")[0].split(":")[0]


def _place(where: Any) -> str:
    parts = [f"cylinder {where.cylinder}" if where.cylinder else "", (where.point or "").replace("_", " ")]
    parts += [str(x).replace("_", " ") for x in (where.bank, where.node, where.pin, where.channel) if x]
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
            return f"{d.code} {d.status.replace('_', ' ')}: {known_code.title if known_code else d.text or decode(d.code).says}"
        case "code_scan":
            return f"Codes read, modules: {d.module}"
        case "code_clear":
            return f"Codes cleared, modules: {d.module}"
        case "instrument":
            parts = [f"lead zero {exact(d.lead_zero)} {d.unit or ''}".strip() if d.lead_zero is not None else "",
                     f"{plain(d.accuracy_percent)} %" if d.accuracy_percent is not None else "", f"{plain(d.accuracy_digits)} digits" if d.accuracy_digits is not None else "",
                     f"step {plain(d.resolution)}" if d.resolution is not None else "", f"{plain(d.rated_w)} W" if d.rated_w is not None else ""]
            return f"{d.instrument.capitalize()}: {', '.join(p for p in parts if p)}"
        case "reading":
            value = "OL" if d.value == "OL" else f"{exact(d.value)} {d.unit}"
            place = _place(d.where)
            return f"{short_title(k, d.test)}{', ' + place if place else ''}: {value}"
        case "outcome":
            figures = ", ".join(f"{key.replace('_', ' ')} {value if isinstance(value, bool) else exact(value)}" for key, value in (d.figures or {}).items())
            place = _place(d.where)
            return f"{short_title(k, d.test)}{', ' + place if place else ''}: {' '.join(filter(None, ((d.outcome or '').replace('_', ' '), figures)))}"
        case "action":
            turn = d.cleaning
            measured = f", {turn.measured or 'measured'} {plain(turn.before)} to {plain(turn.after)} {turn.unit or ''}".rstrip() if turn and turn.before is not None and turn.after is not None else ""
            return f"{d.action.replace('_', ' ').capitalize()}: {d.what}" + (" (temporary)" if d.temporary else "") + (f", {plain(turn.minutes)} min{measured}" if turn else "")
        case "option":
            known_option = k.options.get(d.option)
            return f"{'Picked' if d.chosen else 'Priced'}: {d.title or (known_option.title if known_option else d.option.replace('_', ' '))}" + (f". {d.reason}" if d.reason else "")
        case "consent":
            ceiling = f", up to {d.ceiling // 100}" if d.ceiling else ""
            return f"Owner says {d.answer}: {d.who}, {d.how.replace('_', ' ')}{ceiling}"
        case "warning":
            return f"Warning ({d.urgency}): {d.text}"
        case "fit_step":
            step = next(s for s in k.procedures[d.plan].steps if s.id == d.step)
            extra = [f"cylinder {d.cylinder}" if d.cylinder else "", f"{exact(d.torque_nm)} N m" if d.torque_nm is not None else "", f"{d.pieces} pieces" if d.pieces is not None else ""]
            return f"{'Done' if d.state == 'done' else 'Skipped'}: {step.does}" + "".join(f", {e}" for e in extra if e)
        case "wait":
            return f"{'Waiting' if d.state == 'started' else 'Wait over'}: {d.what}"
        case "proof_step":
            return f"Proof {d.step.replace('_', ' ')}: {d.result.replace('_', ' ')}" + (f" ({d.reason})" if d.reason else "")
        case "drive":
            return f"Drove {plain(d.distance_km)} km, " + (f"codes back: {', '.join(d.codes_back)}" if d.codes_back else "no code back")
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
            return f"Recording: {d.file or 'in place'}, {', '.join(c.replace('_', ' ') for c in list(d.channels)[:5])}" + (f" and {len(d.channels) - 5} more" if len(d.channels) > 5 else "")
        case "stretch":
            return f"Stretch marked: {d.name}, {plain(d.start_s)} to {plain(d.end_s)} s"
    return getattr(d, "text", x.kind)
