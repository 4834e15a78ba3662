"""Arrive: complaint, symptoms, what went on before, codes, temperatures, deadline; all before anything is
touched."""

from datetime import datetime
from typing import Annotated, Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from frosty_piston.core.codes import STATUSES, decode, read_block
from frosty_piston.core.errors import NotHere
from frosty_piston.core.quantity import exact
from frosty_piston.core.words import sign
from frosty_piston.job.entries import Before, Code, CodeClear, CodeScan, Complaint, Entry, Lamp
from frosty_piston.job.proof_evidence import returns_of
from frosty_piston.job.units import typed
from frosty_piston.store.moments import stamp
from frosty_piston.store.workshop import JobRecord, Workshop

from . import vehicle
from .dependencies import GivenForm, GivenWorkshop
from .forms import Fields, Form, figure, known, line, moment, money, one_of
from .jobform import submit
from .page import job_page

router = APIRouter()
router.include_router(vehicle.router)
WORK = "arrive/_work.html"
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
CONDITIONS = (
    ("ambient", "degC", -60, 60),
    ("coolant", "degC", -60, 150),
    ("odometer", "km", 0, 5_000_000),
    ("countdown_km", "km", 0, 10_000),
    ("countdown_starts", "count", 0, 1000),
)


def _as_typed(entry: Entry | None, unit: str) -> str:
    """A condition as it was given, with its unit when that is not the field's own."""
    if entry is None:
        return ""
    return exact(entry.data.value) + ("" if entry.data.unit == unit else f" {sign(entry.data.unit)}")


def show(record: JobRecord, workshop: Workshop) -> dict[str, Any]:
    job, k = record.job, workshop.knowledge
    codes = []
    for x in job.of(Code):
        known, parts = k.codes.get(decode(x.data.code).code), decode(x.data.code)
        codes.append(
            {
                "entry": x,
                "says": known.title if known else x.data.text or parts.says,
                "system": k.systems[known.system] if known else "",
                "kind": known.kind if known else parts.kind or "",
                "detail": parts.fault_type_says if known else "",
            }
        )
    return {
        "complaint": job.last(Complaint),
        "codes": codes,
        "statuses": STATUSES,
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
        "returns": returns_of(job),
        "return_axes": RETURN_AXES,
        "complaints": [(s, k.symptoms[s].title) for s in job.complaints],
        "dosing": job.engine.scr is not False,
        "conditions": {name: _as_typed(job.condition(name), "degC") for name, _ in TEMPERATURES},
        "before": job.last(Before),
        "deadline": job.deadline,
        "scanned": job.last(CodeScan),
        "cleared": job.last(CodeClear),
        "visits": workshop.yard.visits(record.vehicle_id, job.id),
        "cautions": [c for s, x in job.symptoms.items() if x.data.present for c in k.symptoms[s].cautions],
    }


class ComplaintForm(Fields):
    text: Annotated[str | None, line(4000, "write down what the driver says")]
    since: Annotated[str | None, line(200)]


def complaint(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    fields = form.read(ComplaintForm, record, workshop)
    form.done()
    return [form.entry("complaint", {"text": fields.text, "since": fields.since})]


class SymptomForm(Fields):
    symptom: Annotated[str | None, known(lambda asking: asking.workshop.knowledge.symptoms)]


def symptom(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    fields = form.read(SymptomForm, record, workshop)
    form.done()
    return [form.entry("symptom", {"symptom": fields.symptom, "present": form.raw("present") != "no"})]


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
        "returns": [{unit: t * factor} for t in timed],
        "returns_about": {unit: fields.about * factor} if fields.about else None,
    }
    return [form.entry("symptom", data)]


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
    read = read_block(text)
    if not read.codes:
        form.wrong("block", "no code was found in it; a code looks like P0671 or P0671-13")
    form.done()
    entries = [
        form.entry(
            "code",
            {
                "code": c.code + (f"-{c.fault_type}" if c.fault_type else ""),
                "status": c.status or "stored",
                "module": fields.module,
            },
            str(i),
        )
        for i, c in enumerate(read.codes)
    ]
    entries.append(form.entry("code_scan", {"module": fields.module or "all"}, "scan"))
    mended = [c.code for c in read.codes if c.mended]
    if read.not_understood:
        lines = "".join(
            c for c in "; ".join(read.not_understood)[:2000] if c >= " " and not "\ud800" <= c <= "\udfff"
        )
        entries.append(
            form.entry("note", {"text": f"Pasted with the codes, not understood: {lines}"}, "rest")
        )
    if mended:
        entries.append(
            form.entry("note", {"text": f"Letter O read as zero in {', '.join(mended)}"}, "mended")
        )
    return entries


def scan(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    return [form.entry("code_scan", {"module": form.text("module", 80) or "all"})]


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


def lamp(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    fields = form.read(LampForm, record, workshop)
    form.done()
    return [form.entry("lamp", {"lamp": fields.lamp, "state": fields.state})]


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


class BeforeForm(Fields):
    text: Annotated[str | None, line(4000, "write who was there, and what they did")]


def before(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    fields = form.read(BeforeForm, record, workshop)
    form.done()
    return [form.entry("before", {"text": fields.text, "cleared_codes": form.raw("cleared_codes") == "yes"})]


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
    "symptom": symptom,
    "returns": returns,
    "context": context,
    "code": code,
    "block": block,
    "scan": scan,
    "clear": clear,
    "lamp": lamp,
    "conditions": conditions,
    "before": before,
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
    return submit(
        request, workshop, job_id, form, name, FORMS[name], "arrive", WORK, show, f"/jobs/{job_id}/arrive"
    )
