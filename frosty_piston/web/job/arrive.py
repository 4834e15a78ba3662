"""Arrive: complaint, symptoms, what went on before, codes, temperatures, deadline; all before anything is
touched."""

import re
from datetime import datetime, timedelta
from typing import Annotated, Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from frosty_piston.core.codes import LETTERS, STATUSES, decode, is_letterless, read_block, with_letter
from frosty_piston.core.errors import NotHere
from frosty_piston.core.freeze_frame import moment_of
from frosty_piston.core.module_names import letter_of
from frosty_piston.core.quantity import exact, plain
from frosty_piston.core.words import inside, sign
from frosty_piston.formats.freeze_frame import MOST_SIGNS, read_frame
from frosty_piston.job.afterwards.previous_visit import visit_before
from frosty_piston.job.entries import (
    Before,
    Code,
    CodeClear,
    CodeScan,
    Complaint,
    Condition,
    Entry,
    History,
    Lamp,
)
from frosty_piston.job.entries.arrival import BY_WORDS
from frosty_piston.job.repair.countdown_count import UNITS
from frosty_piston.job.tape.fold import Job
from frosty_piston.job.units import convert, typed
from frosty_piston.job.weighing.proof_evidence import Returns, returns_of
from frosty_piston.store.tapes import UNNAMED_VEHICLE
from frosty_piston.store.timestamps import now, stamp, utc
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.frame.dependencies import GivenForm, GivenWorkshop
from frosty_piston.web.frame.forms import Fields, Form, figure, known, line, moment, money, one_of, whole
from frosty_piston.web.frame.job_form import submit
from frosty_piston.web.frame.page import job_page

from . import vehicle

router = APIRouter()
router.include_router(vehicle.router)
WORK = "arrive/_work.html"
ENGINE_MODULE = "engine"
TEMPERATURES = (("ambient", "Outside"), ("coolant", "Coolant"))
LAMPS = (
    "Check engine",
    "Wait to start (glow)",
    "Emissions",
    "Particulate filter",
    "DEF",
    "Battery",
    "Oil pressure",
    "Reduced power",
)
MOST_BLOCK = 20_000
CODES_SAID = 3
SOON = timedelta(days=120)
CONDITIONS = (
    ("ambient", "degC", -60, 60),
    ("coolant", "degC", -60, 150),
    ("odometer", "km", 0, 5_000_000),
    ("altitude_m", "m", -500, 6000),
    ("barometer", "kPa", 45, 110),
    ("sea_level", "kPa", 90, 110),
)
AIR = (
    ("altitude_m", "Altitude", "m"),
    ("barometer", "Barometer here", "kPa"),
    ("sea_level", "Weather, at the sea", "kPa"),
)


LETTER_CHOICES = [(letter, f"{letter}: {area}") for letter, area in LETTERS.items()]
WHEN_CHOICES = [
    ("still", "Still there after the repair"),
    ("back", "Went away and came back"),
    ("before", "Was there before, only noted now"),
]
AT_ZERO_CHOICES = [("no_restart", "no restart"), ("crawl", "it only crawls"), ("unknown", "not known")]


def _count_now(job: Job) -> dict[str, str]:
    """What was said of the countdown last: what it does at zero, since when."""
    last = next((x for x in reversed(list(job.of(Condition))) if x.data.name in UNITS), None)
    return {
        "at_zero": last.data.at_zero or "" if last else "",
        "since": last.data.since or "" if last else "",
    }


def _as_typed(entry: Entry | None, unit: str) -> str:
    """A condition as it was given, with its unit when that is not the field's own."""
    if entry is None:
        return ""
    return exact(entry.data.value) + ("" if entry.data.unit == unit else f" {sign(entry.data.unit)}")


def show(record: JobRecord, workshop: Workshop) -> dict[str, Any]:
    job = record.job
    knowledge = workshop.knowledge
    codes = []
    for code in job.of(Code):
        known = knowledge.codes.get(decode(code.data.code).code)
        parts = decode(code.data.code)
        codes.append(
            {
                "entry": code,
                "says": known.title if known else code.data.text or parts.says,
                "own": code.data.text if known else "",
                "system": knowledge.systems[known.system] if known else "",
                "kind": known.kind if known else parts.kind or "",
                "detail": parts.fault_type_says if known else "",
                "moment": ", ".join(moment_of(code.data.frame_figures(knowledge))),
            }
        )
    return {
        "complaint": job.last(Complaint),
        "codes": codes,
        "statuses": STATUSES,
        "letters": LETTER_CHOICES,
        "when_choices": WHEN_CHOICES,
        "temperatures": TEMPERATURES,
        "lamps": LAMPS,
        "present": job.symptoms,
        "around": job.contexts,
        "lamps_on": list(job.of(Lamp)),
        "odometer": _as_typed(job.condition("odometer"), "km"),
        "countdown": {
            name: _as_typed(job.condition(name), unit)
            for name, unit in (("countdown_km", "km"), ("countdown_starts", "count"))
        },
        "at_zero": AT_ZERO_CHOICES,
        "count_now": _count_now(job),
        "returns": returns_of(job),
        "return_axes": RETURN_AXES,
        "returns_by": {s: returns_said(x, returns_of(job)) for s, x in job.symptoms.items()},
        "holds": {"codes": _codes_held(job, codes), "conditions": _conditions_held(job)},
        "unnamed": job.vehicle.name == UNNAMED_VEHICLE,
        "vehicles": workshop.garage.vehicles() if job.vehicle.name == UNNAMED_VEHICLE else [],
        "seen": str(workshop.garage.seen(job, record.vehicle_id)),
        "dosing": job.engine.scr is not False,
        "air": [(name, label, unit, _as_typed(job.condition(name), unit)) for name, label, unit in AIR],
        "conditions": {name: _as_typed(job.condition(name), "degC") for name, _ in TEMPERATURES},
        "before": job.last(Before),
        "lately": [x.data.says(knowledge, {}) for x in job.of(History)],
        "by_words": [("", "not known"), *BY_WORDS.items()],
        "helped": [("", "not known"), ("yes", "yes"), ("no", "no")],
        "deadline": job.deadline,
        "scanned": job.last(CodeScan),
        "cleared": job.last(CodeClear),
        **_visits(record, workshop),
        "cautions": [
            c for s, x in job.symptoms.items() if x.data.present for c in knowledge.symptoms[s].cautions
        ]
        + [c for name in job.contexts for c in knowledge.contexts[name].cautions],
    }


def _visits(record: JobRecord, workshop: Workshop) -> dict[str, Any]:
    """The earlier visits of the vehicle, and the last one held against this one where it was not long ago."""
    visits = workshop.yard.visits(record.vehicle_id, record.job.id)
    opened = record.job.opened_at or now()
    before = next((v for v in visits if utc(v.opened_at) <= utc(opened)), None)
    if before is None or utc(opened) - utc(before.opened_at) > SOON:
        return {"visits": visits, "again": None, "history": record.vehicle_id if visits else None}
    old = workshop.tapes.job(before.id)
    then = old.job.condition("odometer")
    here = record.job.condition("odometer")
    driven = _in_km(here) - _in_km(then) if then and here else None
    return {
        "history": record.vehicle_id,
        "visits": [v for v in visits if v.id != before.id],
        "again": visit_before(old.assessed, old.standing.proof, record.assessed),
        "again_visit": before,
        "again_days": (utc(opened) - utc(before.opened_at)).days,
        "again_km": plain(round(driven)) if driven is not None and driven >= 0 else "",
    }


def _in_km(entry: Entry) -> float:
    return convert(float(entry.data.value), entry.data.unit, "km")


def returns_said(entry: Entry, known: Returns | None) -> str:
    """After how much a symptom came back, as it was written down, on the axis of the job."""
    if known is None or not (entry.data.returns or entry.data.returns_about):
        return ""
    timed = [v for r in entry.data.returns if (v := getattr(r, known.axis)) is not None]
    if timed:
        return f"{', '.join(plain(v) for v in timed)} {known.unit}"
    about = getattr(entry.data.returns_about, known.axis) if entry.data.returns_about else None
    return f"about every {plain(about)} {known.unit}" if about is not None else ""


def _codes_held(job: Job, codes: list[dict[str, Any]]) -> str:
    """What the codes fold to: what the few say, each of many with its status, or that none was found."""
    if 0 < len(codes) <= CODES_SAID:
        return ", ".join(f"{c['entry'].data.code} {inside(c['says'])}" for c in codes)
    if codes:
        return ", ".join(f"{c['entry'].data.code} {c['entry'].data.says_status}" for c in codes)
    return "read, none found" if job.last(CodeScan) else ""


def _conditions_held(job: Job) -> str:
    """What temperatures and distance fold to, once the outside temperature is known."""
    if job.condition("ambient") is None:
        return ""
    named = [("ambient", "outside"), ("coolant", "coolant"), ("odometer", "")]
    named += [("countdown_km", "countdown"), ("countdown_starts", "starts left"), ("altitude_m", "altitude")]
    held = [(name, job.condition(key)) for key, name in named]
    return ", ".join(
        f"{name} {plain(x.data.value)} {sign(x.data.unit) if x.data.unit != 'count' else ''}".strip()
        for name, x in held
        if x
    )


class ComplaintForm(Fields):
    text: Annotated[str | None, line(4000, "write down what the driver says")]
    since: Annotated[str | None, line(200)]


def complaint(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    fields = form.read(ComplaintForm, record, workshop)
    form.done()
    return [form.entry("complaint", {"text": fields.text, "since": fields.since})]


class SymptomForm(Fields):
    note: Annotated[str | None, line(400)]
    symptom: Annotated[str | None, known(lambda asking: asking.workshop.knowledge.symptoms)]


def symptom(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """A symptom, or that it is not so; `goes`: whether it comes and goes, with the returns it had kept."""
    fields = form.read(SymptomForm, record, workshop)
    form.done()
    data: dict[str, Any] = {"symptom": fields.symptom, "present": form.raw("present") != "no"}
    if (had := record.job.symptoms.get(str(fields.symptom))) and form.raw("noting"):
        if not fields.note:
            form.wrong("note", "write what was noticed")
        form.done()
        return [form.entry("symptom", {**had.data.model_dump(exclude_none=True), "note": fields.note})]
    if data["present"] and record.job.repairs and not form.raw("goes"):
        when = form.choice("when", [value for value, _ in WHEN_CHOICES], needed=False)
        if when is None:
            form.wrong("when", "a repair was done in between: when was it there?")
        form.done()
        data["when"] = when
    had = record.job.symptoms.get(str(fields.symptom))
    if form.raw("goes") and had:
        kept = had.data.model_dump(exclude_none=True) if form.raw("goes") == "yes" else {"present": True}
        data = {**kept, "symptom": fields.symptom, "comes_and_goes": form.raw("goes") == "yes"}
    return [form.entry("symptom", data)]


class ReturnsForm(Fields):
    symptom: Annotated[str | None, known(lambda asking: asking.record.job.complaints)]
    axis: Annotated[str | None, known(lambda asking: [a for a, _ in RETURN_AXES])]
    about: Annotated[float | None, figure("", 0.01, 1000000)]


def returns(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """How often the complaint comes back: after how far each time, or about every so much. One axis for the
    job."""
    fields = form.read(ReturnsForm, record, workshop)
    timed = []
    for text in form.raw("after").replace(";", " ").split():
        try:
            timed.append(float(text.replace(",", ".")))
        except ValueError:
            form.wrong(
                "after", f"{text[:12]!r} is no figure; write each return, parted by spaces, as 60 100 80"
            )
    if any(not 0 < t <= 1_000_000 for t in timed):
        form.wrong(
            "after",
            "each lies above 0; counted since the codes were last cleared, or since it last came back",
        )
    if not timed and fields.about is None and not form.faults:
        form.wrong("after", "write when it came back, or about how often")
    known = returns_of(record.job)
    factor, unit = (1 / 60, "hours") if fields.axis == "minutes" else (1.0, str(fields.axis))
    if known and known.axis != unit:
        form.wrong("axis", f"this job counts in {known.unit}; take that back first")
    form.done()
    data = {
        "symptom": fields.symptom,
        "present": True,
        "comes_and_goes": True,
        "returns": [
            _noted(record.job, str(fields.symptom), unit, t * factor, i) for i, t in enumerate(timed)
        ],
        "returns_about": {unit: fields.about * factor} if fields.about else None,
    }
    return [form.entry("symptom", data)]


def _noted(job: Job, symptom: str, axis: str, span: float, at: int) -> dict[str, Any]:
    """A return with what had been noted of it, where it was in the list already."""
    had = job.symptoms[symptom].data.returns
    same = at < len(had) and getattr(had[at], axis) == span
    return {**(had[at].model_dump(exclude_none=True) if same else {}), axis: span}


class ContextForm(Fields):
    context: Annotated[str | None, known(lambda asking: asking.workshop.knowledge.contexts)]


def context(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    fields = form.read(ContextForm, record, workshop)
    form.done()
    return [form.entry("context", {"context": fields.context, "present": form.raw("present") != "no"})]


class CodeForm(Fields):
    code: Annotated[str | None, line(20, "type a code, as P0671")]
    status: Annotated[str | None, known(lambda asking: STATUSES)]
    module: Annotated[str | None, line(80)]
    text: Annotated[str | None, line(400)]


def code(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """One code typed by hand."""
    fields = form.read(CodeForm, record, workshop)
    given = fields.code
    letter = form.choice("letter", tuple(LETTERS), needed=False)
    if given and is_letterless(given):
        letter = letter or letter_of(f"{fields.text or ''} {fields.module or ''}")
        if letter is None:
            form.wrong("letter", f"{given} has no letter: choose which system it belongs to")
            form.done()
        given = with_letter(given, str(letter))
    if given:
        try:
            decoded = decode(given)
            given = decoded.code + (f"-{decoded.fault_type}" if decoded.fault_type else "")
        except ValueError as error:
            form.wrong("code", str(error))
    form.done()
    return [
        form.entry(
            "code", {"code": given, "status": fields.status, "module": fields.module, "text": fields.text}
        )
    ]


# The heading that a tool prints over the figures of a code.
_FRAME = re.compile(r"^\W*(?:freeze[ -]?frame|stored (?:conditions|values))\b[^0-9]*$", re.IGNORECASE)


class BlockForm(Fields):
    module: Annotated[str | None, line(80)]


def block(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """A block pasted from anywhere: every code in it, and what was not understood as a note."""
    fields = form.read(BlockForm, record, workshop)
    text = form.raw("block")
    if not text:
        form.wrong("block", "paste what the scan tool shows; any layout will do")
    elif len(text) > MOST_BLOCK:
        form.wrong("block", f"{len(text)} signs; at most {MOST_BLOCK} at once")
    form.done()
    letter = form.choice("letter", tuple(LETTERS), needed=False) or letter_of(fields.module or "")
    read = read_block(text, letter)
    if read.letterless:
        several = ", ".join(read.letterless)
        form.wrong("letter", f"without a letter: {several}. Choose which system they belong to")
    elif not read.codes:
        form.wrong("block", "no code was found in it; a code looks like P0671 or P0671-13")
    form.done()
    frames = [read_frame("\n".join(c.below), workshop.knowledge) for c in read.codes]
    entries = [
        form.entry(
            "code",
            {
                "code": code.code + (f"-{code.fault_type}" if code.fault_type else ""),
                "status": code.status or "stored",
                "also": list(code.also) or None,
                "module": code.module or fields.module,
                "text": code.text or None,
                "frame": list(stored.figures) or None,
            },
            str(index),
        )
        for index, (code, stored) in enumerate(zip(read.codes, frames, strict=True))
    ]
    of_codes = [c.module or fields.module or ENGINE_MODULE for c in read.codes]
    scanned = {
        "modules": list(dict.fromkeys([*of_codes, *read.answered])),
        "silent": list(read.silent) or None,
    }
    entries.append(form.entry("code_scan", scanned, "scan"))
    mended = [c.code for c in read.codes if c.mended]
    under = {line for c in read.codes for line in c.below}
    unknown = [line for line in read.not_understood if line not in under]
    unknown += [line for stored in frames for line in stored.not_understood if not _FRAME.match(line)]
    if unknown:
        lines = "".join(c for c in "; ".join(unknown)[:2000] if c >= " " and not "\ud800" <= c <= "\udfff")
        entries.append(
            form.entry("note", {"text": f"Pasted with the codes, not understood: {lines}"}, "rest")
        )
    if mended:
        entries.append(
            form.entry("note", {"text": f"Letter O read as zero in {', '.join(mended)}"}, "mended")
        )
    return entries


def frame(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """The conditions stored with a code: its entry is written anew with them."""
    knowledge = workshop.knowledge
    of = form.raw("of")
    had = next((x for x in record.job.of(Code) if x.id == of), None)
    text = form.raw("frame")
    note = form.text("note", 400)
    if had is None:
        form.wrong("frame", "this code no longer stands on the tape")
    elif not text and not note:
        form.wrong("frame", "paste or type what was stored with it, one figure a line: engine speed 1650 rpm")
    elif len(text) > MOST_SIGNS:
        form.wrong("frame", f"{len(text)} signs; at most {MOST_SIGNS} at once")
    form.done()
    read = read_frame(text, knowledge)
    if read.not_understood:
        form.wrong("frame", f"not understood: {'; '.join(read.not_understood[:4])}. Write name, figure, unit")
    form.done()
    assert had is not None
    data = had.data.model_dump(exclude_none=True)
    data |= {"frame": list(read.figures)} if text else {}
    data |= {"note": note} if note else {}
    return [
        form.entry(
            "correction", {"corrects": had.id, "reason": "written anew with what was stored with it"}, "old"
        ),
        form.entry("code", data),
    ]


def scan(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """Which modules answered and which did not, or that this vehicle keeps no codes."""
    if form.raw("keeps_none"):
        return [form.entry("code_scan", {"keeps_none": True})]
    answered, silent = (_named(form, name) for name in ("modules", "silent"))
    form.done()
    return [form.entry("code_scan", {"modules": answered or [ENGINE_MODULE], "silent": silent or None})]


def _named(form: Form, name: str) -> list[str]:
    """Names that stand in one line, with commas between them."""
    text = form.text(name, 400) or ""
    return [part.strip()[:80] for part in text.split(",") if part.strip()]


def clear(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """Clearing before anything is written down is evidence lost: said first, done only when asked again."""
    if not any(True for _ in record.job.of(Code, CodeScan)) and form.raw("anyway") != "yes":
        form.wrong(
            "anyway",
            "No code is written down yet. What is cleared now is evidence lost. Read and write them down"
            " first, or tick to clear all the same.",
        )
    form.done()
    return [form.entry("code_clear", {"module": form.text("module", 80) or "all"})]


class LampForm(Fields):
    lamp: Annotated[str | None, line(120, "say which lamp or message")]
    state: Annotated[str | None, one_of("on", "flashing", "off", "message")]
    note: Annotated[str | None, line(400)]


def lamp(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    fields = form.read(LampForm, record, workshop)
    form.done()
    return [form.entry("lamp", {"lamp": fields.lamp, "state": fields.state, "note": fields.note})]


def conditions(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """Temperatures and odometer; only what changed becomes an entry."""
    entries = []
    for name, unit, low, high in CONDITIONS:
        text = form.raw(name)
        if not text or form.figure(name, unit, low, high) is None:
            continue
        value, got = typed(text, unit)
        old = record.job.condition(name)
        if old is None or (old.data.value, old.data.unit) != (value, got):
            entries.append(form.entry("condition", {"name": name, "value": value, "unit": got}, name))
    form.done()
    return entries


class CountdownForm(Fields):
    countdown_km: Annotated[float | None, figure("km", 0, 10_000)]
    countdown_starts: Annotated[float | None, whole(0, 1000)]
    at_zero: Annotated[str | None, known(lambda asking: [c for c, _ in AT_ZERO_CHOICES], needed=False)]
    since: Annotated[str | None, line(200)]


def countdown(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """What the dash shows of a countdown now, what happens at zero, and since when. One of the two axes."""
    fields = form.read(CountdownForm, record, workshop)
    given = {axis: v for axis in UNITS if (v := getattr(fields, axis)) is not None}
    if len(given) > 1:
        form.wrong("countdown_starts", "write the distance or the starts, whichever the dash counts")
    elif not given and not form.faults:
        form.wrong("countdown_km", "write what the dash shows: km or starts left")
    form.done()
    axis, value = next(iter(given.items()))
    data = {
        "name": axis,
        "value": value,
        "unit": UNITS[axis],
        "at_zero": fields.at_zero,
        "since": fields.since,
    }
    entries = [form.entry("condition", data)]
    known_as = record.job.symptoms.get("restart_countdown")
    if known_as is None:
        entries.append(form.entry("symptom", {"symptom": "restart_countdown", "present": True}, "symptom"))
    return entries


class BeforeForm(Fields):
    text: Annotated[str | None, line(4000, "write who was there, and what they did")]


def before(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    fields = form.read(BeforeForm, record, workshop)
    form.done()
    return [form.entry("before", {"text": fields.text, "cleared_codes": form.raw("cleared_codes") == "yes"})]


class HistoryForm(Fields):
    text: Annotated[str | None, line(400, "say what was done, as: EGR valve renewed")]
    days_ago: Annotated[float | None, figure("", 0, 40_000)]
    distance_km_ago: Annotated[float | None, figure("km", 0, 3_000_000)]
    by: Annotated[str | None, one_of(*BY_WORDS, needed=False)]


def history(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """What was done lately, by whom, and whether it helped."""
    fields = form.read(HistoryForm, record, workshop)
    form.done()
    wanted = (fields.text or "").strip().lower()
    repairs = workshop.knowledge.repairs
    named = next((key for key, repair in repairs.items() if repair.title.lower() == wanted), None)
    what = {"repair": named} if named else {"text": fields.text}
    times = {"days_ago": fields.days_ago, "distance_km_ago": fields.distance_km_ago}
    helped = {"yes": True, "no": False}.get(form.raw("cured"))
    return [form.entry("history", {**what, **times, "by": fields.by, "cured": helped})]


class DeadlineForm(Fields):
    until: Annotated[datetime | None, moment("say when it is needed")]
    standstill: Annotated[int | None, money()]
    why: Annotated[str | None, line(200)]


def deadline(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    fields = form.read(DeadlineForm, record, workshop)
    form.done()
    assert fields.until is not None
    return [
        form.entry(
            "deadline",
            {"until": stamp(fields.until), "standstill_per_day": fields.standstill or 0, "why": fields.why},
        )
    ]


RETURN_AXES = (("distance_km", "km"), ("starts", "starts"), ("minutes", "minutes"), ("hours", "hours"))
FORMS = {
    "complaint": complaint,
    "countdown": countdown,
    "symptom": symptom,
    "returns": returns,
    "context": context,
    "code": code,
    "block": block,
    "scan": scan,
    "frame": frame,
    "clear": clear,
    "lamp": lamp,
    "conditions": conditions,
    "before": before,
    "history": history,
    "deadline": deadline,
}


@router.get("/jobs/{job_id}/arrive")
def arrive(request: Request, job_id: str, workshop: GivenWorkshop) -> Response:
    record = workshop.tapes.job(job_id)
    return job_page(request, record, "arrive", WORK, show(record, workshop))


@router.post("/jobs/{job_id}/arrive/{name}")
def arrive_form(
    request: Request, job_id: str, name: str, form: GivenForm, workshop: GivenWorkshop
) -> Response:
    if name not in FORMS:
        raise NotHere("There is no such form.")
    named = {"returns": f"returns-{form.raw('symptom')}", "frame": f"frame-{form.raw('of')}"}
    shown = named.get(name, name)
    return submit(
        request,
        workshop,
        job_id,
        form=form,
        name=shown,
        maker=FORMS[name],
        stage="arrive",
        work=WORK,
        show=show,
        back=f"/jobs/{job_id}/arrive",
    )
