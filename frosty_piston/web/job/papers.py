"""The papers of a job: each laid out once as blocks, as a page that prints and as a PDF."""

import json
import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from frosty_piston.core.errors import BadInput, NotHere
from frosty_piston.core.words import bound, called
from frosty_piston.formats.child_process import Readers
from frosty_piston.formats.picture import smaller
from frosty_piston.job.afterwards.report import URGENCY, Shown
from frosty_piston.job.circuit.on_tape import circuit_entry
from frosty_piston.job.entries import Action, Trim, Warning_
from frosty_piston.store.timestamps import now
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.frame.dependencies import GivenForm, GivenPapers, GivenWorkshop
from frosty_piston.web.frame.page import Kept, dated, job_page, render, templates
from frosty_piston.web.frame.shown_pictures import pictures_of

from . import circuit as circuit_page
from . import report as report_page
from . import trim as trim_page

router = APIRouter()
_PAGE = re.compile(r"^[a-z][a-z_/]{0,60}$")
HEAD = "letterhead"
PICTURE_PX = 700
STOP = "stop_actuator"
NEVER = "Never stall it in gear. If it does not stop: brake, out of gear, and call."
ANYTHING = "If anything changes: stop, and call."
LEGEND = (
    "Green holds, red leaks or is off. A ring: the last hands were here. A dashed outline: joined wrongly, or"
    " reached by no pump."
)
TOLD = (
    "I was told of what stands above, in words and with this paper, before the vehicle left. What is marked"
    " “stop” is not to be driven. Local law and the word of a licensed inspector come first."
)
Block = dict[str, Any]


@dataclass(frozen=True)
class Sheet:
    """One paper. `blocks`: what stands on it, in order; `one_page`: it is made to fit one; `wide`: it lies on
    its side."""

    title: str
    sub: str
    blocks: tuple[Block, ...]
    one_page: bool = False
    wide: bool = False


def lines(title: str, *text: str) -> Block:
    return {"kind": "lines", "title": title, "lines": [t for t in text if t]}


def table(title: str, head: list[str], rows: list[list[str]], widths: list[float] | None = None) -> Block:
    return {
        "kind": "table",
        "title": title,
        "head": head,
        "rows": rows,
        "widths": widths or [1.0] * len(head),
    }


def _about(record: JobRecord) -> str:
    job = record.job
    return " · ".join(filter(None, (job.vehicle.name, job.engine.name, f"printed {dated(now())}")))


def owner(record: JobRecord, workshop: Workshop) -> Sheet:
    """The owner's page: complaint, found, done, proven and how sure, warned, to do differently, cost."""
    shown = report_page.show(record, workshop)
    report = shown["report"]
    sure = f"{round(100 * report.proof.sure)} % sure" if report.proof.sure is not None else ""
    blocks: list[Block] = [{"kind": "warning", "urgency": u, "text": t} for u, t in shown["warned"]]
    blocks += [lines(p.title, *p.lines) for p in shown["head"]]
    if shown["seen"]:
        blocks.append(_pictures(shown["seen"]))
    if report.figures:
        rows = [[_shows(x), x.before, x.after or "not read"] for x in report.figures]
        blocks.append(table("", ["What shows it", "Before", "After"], rows, [4.0, 1.0, 1.0]))
    blocks += [lines(p.title, *p.lines) for p in shown["parts"]]
    word = ", ".join(filter(None, (report.proof.word, sure)))
    return Sheet(
        record.job.vehicle.name, f"{_about(record)}. {word}".strip(". "), tuple(blocks), one_page=True
    )


def _shows(x: Shown) -> str:
    """What was measured, and what it says of it, where that does not begin with the same words."""
    return x.because if x.because.startswith(x.what) else f"{x.what}: {x.because}"


def whole_record(record: JobRecord, workshop: Workshop) -> Sheet:
    """The record for the next technician: suspects, every verdict, the tape."""
    shown = report_page.show(record, workshop)
    blocks = [lines(f"{p.title}, whole", *p.rest) for p in (*shown["head"], *shown["parts"]) if p.rest]
    if suspects := shown["report"].suspects:
        rows = [[sure, f"{title}: {because}"] for title, sure, because in suspects]
        blocks.append(table(shown["suspects_title"], ["Sure", "Suspect, and why"], rows, [1.0, 7.0]))
    for part in shown["verdicts"]:
        rows = [[r["test"], r["at"], r["says"], r["figure"], r["because"]] for r in part["rows"]]
        head = ["Test", "Where", "Verdict", "Figure", "Because"]
        blocks.append(table(part["title"], head, rows, [1.6, 1.4, 1.0, 1.1, 4.0]))
    tape = [
        [dated(row.at), row.by, f"{row.says} (taken back)" if row.gone else row.says]
        for row in reversed(shown["tape"]["rows"])
    ]
    blocks += [
        table(shown["tape_title"], ["When", "Who", "What"], tape, [1.5, 1.0, 6.0]),
        lines("", shown["foot"]),
    ]
    return Sheet("Record for the next technician", _about(record), tuple(blocks))


def warning(record: JobRecord, workshop: Workshop) -> Sheet | None:
    """The written warning: what is dangerous or not allowed, with its pictures, to sign."""
    found = list(record.job.of(Warning_))
    if not found:
        return None
    order = list(URGENCY)
    found.sort(key=lambda x: order.index(x.data.urgency))
    blocks: list[Block] = []
    seen = [p for p in pictures_of(record, workshop.pictures) if p.here]
    for one in found:
        place = f" Place: {one.data.place}." if one.data.place else ""
        told = f"Owner until now: {called(one.data.owner)}."
        text = f"{URGENCY[one.data.urgency]}: {one.data.text.rstrip('. ')}.{place} {told}"
        blocks.append({"kind": "warning", "urgency": one.data.urgency, "text": text})
        if mine := [p for p in seen if p.about == one.id][-3:]:
            blocks.append(_pictures(mine))
    fields = ["Place and day", "Owner or driver", "Workshop"]
    blocks.append({"kind": "sign", "title": "Told in writing", "lines": [TOLD], "fields": fields})
    return Sheet("Written warning", _about(record), tuple(blocks))


def label(record: JobRecord, workshop: Workshop) -> Sheet | None:
    """The driver's label of what holds for the time being only."""
    gone = {x.data.what for x in record.job.of(Action) if x.data.action == "removed"}
    held = [x for x in record.job.of(Action) if x.data.temporary and x.data.what not in gone]
    if not held:
        return None
    blocks = []
    for fitted_for_now in held:
        back = (
            f"Back to the workshop by {fitted_for_now.data.come_back}."
            if fitted_for_now.data.come_back
            else "Back to the workshop soon."
        )
        when = dated(fitted_for_now.at or record.written.get(fitted_for_now.id))
        fitted = f"Fitted {when}{f' by {fitted_for_now.by}' if fitted_for_now.by else ''}."
        says = fitted_for_now.data.note or fitted_for_now.data.what
        stops = fitted_for_now.data.where.node == STOP
        more = [
            fitted_for_now.data.what if fitted_for_now.data.note else "",
            NEVER if stops else ANYTHING,
            f"Temporary. {back}",
            fitted,
        ]
        head = "To stop the engine" if stops else "Temporary repair"
        blocks.append({"kind": "big", "head": head, "text": says, "lines": [m for m in more if m]})
    return Sheet("For the driver", _about(record), tuple(blocks))


def trim(record: JobRecord, workshop: Workshop) -> Sheet | None:
    """The trim codes of the injectors, cylinder by cylinder."""
    if record.job.last(Trim) is None:
        return None
    rows = [
        [
            reading["cylinder"],
            " ".join("".join(s.sign for s in group) for group in reading["groups"]) or "no code yet",
            "; ".join(filter(None, (_read_back(reading), _alike(reading)))),
        ]
        for reading in trim_page.show(record, workshop)["rows"]
    ]
    return Sheet("Trim codes", _about(record), ({"kind": "codes", "rows": rows},))


def _alike(r: dict[str, Any]) -> str:
    """The signs of a code that are easily taken for another."""
    found = {s.sign: s.alike for group in r["groups"] for s in group if s.alike}
    return ", ".join(f"{sign} looks like {alike}" for sign, alike in found.items())


def _read_back(reading: dict[str, Any]) -> str:
    if reading["agrees"]:
        return "read back, the same"
    if reading["differs"]:
        return "differs"
    if reading["code"]:
        return "not read back"
    return ""


def circuit(record: JobRecord, workshop: Workshop) -> Sheet | None:
    """The vacuum circuit: its drawing, and what stands on each part and hose."""
    if circuit_entry(record.job) is None:
        return None
    shown = circuit_page.show(record, workshop)
    if shown["drawn"] is None:
        return None
    svg = templates().get_template("papers/circuit.svg").render(d=shown["drawn"])
    drawing = {"kind": "drawing", "svg": svg, "says": "The vacuum circuit, from the pump outward."}
    rows = [[r["title"], r["says"] or "", r["state"]] for r in shown["rows"]]
    wrong = [lines("Joined wrongly", *(w.says for w in shown["wrong"]))] if shown["wrong"] else []
    listed = table("Parts and hoses", ["What", "Marks", "State"], rows, [3.0, 3.0, 1.0])
    blocks = (drawing, lines("", LEGEND), *wrong, listed)
    return Sheet("Vacuum circuit", _about(record), blocks, wide=True)


def _pictures(seen: list[Any]) -> Block:
    return {"kind": "pictures", "items": [{"says": p.alt, "image": p.image} for p in seen]}


@dataclass(frozen=True)
class Paper:
    """A kind of paper: what it is called, what it is for, and what lays it out."""

    title: str
    use: str
    made: Callable[[JobRecord, Workshop], Sheet | None]
    empty: str = ""


PAPERS = {
    "owner": Paper("Owner's page", "One page in plain words, with what it cost and how sure it is.", owner),
    "record": Paper(
        "Record", "Everything that was measured and done, for the next technician.", whole_record
    ),
    "warning": Paper(
        "Written warning",
        "What is dangerous or not allowed, to sign before the vehicle leaves.",
        warning,
        "No warning is written down. It is written in Decide.",
    ),
    "label": Paper(
        "Driver's label",
        "What holds for the time being only, to hang in the cabin.",
        label,
        "Nothing temporary was fitted.",
    ),
    "trim": Paper(
        "Trim codes", "The codes of the injectors, by cylinder.", trim, "No trim code is written down."
    ),
    "circuit": Paper(
        "Vacuum circuit",
        "Drawing and list, from the pump outward.",
        circuit,
        "No circuit is written down. It is written from the Plan.",
    ),
}


def letterhead(workshop: Workshop) -> dict[str, str]:
    """What stands on top of every paper."""
    kept = workshop.settings.get(HEAD)
    return {"workshop": str(kept.get("name", "")), "note": str(kept.get("note", ""))}


def _sheet(record: JobRecord, workshop: Workshop, name: str) -> Sheet:
    paper = PAPERS.get(name)
    if paper is None:
        raise NotHere("There is no such paper.")
    made = paper.made(record, workshop)
    if made is None:
        raise NotHere(paper.empty)
    return made


def pdf_of(sheet: Sheet, workshop: Workshop, papers: Readers[bytes]) -> bytes:
    """A paper as a PDF. Pictures go in as their bytes, texts with their figures bound to their units."""

    def texts(value: Any) -> Any:
        if isinstance(value, str):
            return bound(value)
        if isinstance(value, dict):
            return {k: v if k == "svg" else texts(v) for k, v in value.items()}
        return [texts(v) for v in value] if isinstance(value, list) else value

    blocks: list[Block] = []
    for block in sheet.blocks:
        if block["kind"] == "pictures":
            items = [
                {
                    "says": index["says"],
                    "bytes": list(smaller(workshop.pictures.data(index["image"]), PICTURE_PX)),
                }
                for index in block["items"]
            ]
            block = {"kind": "pictures", "items": items}
        blocks.append(texts(block))
    head = letterhead(workshop)
    laid_out = {
        **texts(head),
        "title": bound(sheet.title),
        "sub": bound(sheet.sub),
        "blocks": blocks,
        "one_page": sheet.one_page,
        "wide": sheet.wide,
    }
    return papers.read(json.dumps({"paper": "sheet", "sheet": laid_out}).encode())


def answered(request: Request, workshop: Workshop, sheet: Sheet, back: str, pdf: str) -> Response:
    """A paper as a page that prints."""
    head = letterhead(workshop)
    return render(request, "papers/sheet.html", sheet=sheet, letterhead=head, back=back, pdf=pdf)


@router.get("/jobs/{job_id}/papers")
def papers_page(request: Request, job_id: str, workshop: GivenWorkshop) -> Response:
    record = workshop.tapes.job(job_id)
    return job_page(request, record, "papers", "papers/_work.html", _listed(record, workshop))


def _listed(record: JobRecord, workshop: Workshop) -> dict[str, Any]:
    there = {
        "owner": True,
        "record": True,
        "warning": record.job.last(Warning_) is not None,
        "label": any(x.data.temporary for x in record.job.of(Action)),
        "trim": record.job.last(Trim) is not None,
        "circuit": circuit_entry(record.job) is not None,
    }
    return {"papers": PAPERS, "there": there, "letterhead": letterhead(workshop)}


@router.post("/jobs/{job_id}/papers/head")
def head_form(request: Request, job_id: str, form: GivenForm, workshop: GivenWorkshop) -> Response:
    """The workshop's name and note, once for all papers."""
    record = workshop.tapes.job(job_id)
    try:
        name = form.text("name", 80)
        note = form.text("note", 200)
        form.done()
    except BadInput as error:
        shown = _listed(record, workshop)
        kept = Kept.of("head", error, form.kept)
        return job_page(
            request, record, "papers", work="papers/_work.html", view=shown, kept=kept, status=422
        )
    workshop.settings.save(HEAD, {"name": name or "", "note": note or ""})
    return RedirectResponse(f"/jobs/{job_id}/papers", 303)


@router.get("/jobs/{job_id}/papers/{name}.pdf")
def paper_as_pdf(job_id: str, name: str, workshop: GivenWorkshop, papers: GivenPapers) -> Response:
    record = workshop.tapes.job(job_id)
    return as_file(pdf_of(_sheet(record, workshop, name), workshop, papers), f"{job_id}-{name}.pdf")


@router.get("/jobs/{job_id}/papers/{name}")
def paper(
    request: Request, job_id: str, name: str, workshop: GivenWorkshop, back: str = "papers"
) -> Response:
    """One paper. `back`: the page of the job that it was opened from."""
    record = workshop.tapes.job(job_id)
    where = back if _PAGE.match(back) else "papers"
    sheet = _sheet(record, workshop, name)
    return answered(request, workshop, sheet, f"/jobs/{job_id}/{where}", f"/jobs/{job_id}/papers/{name}.pdf")


def as_file(data: bytes, name: str) -> Response:
    return Response(
        data,
        media_type="application/pdf",
        headers={"Content-Disposition": f'attachment; filename="{name}"'},
    )
