"""The report as a page that prints, as a PDF, and the job file beside it."""

import json
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from frosty_piston.core.quantity import percent
from frosty_piston.core.words import bound, called, grouped
from frosty_piston.formats.picture import smaller
from frosty_piston.job.afterwards.report import build_report, head_parts, lines_of, owner_parts, warned
from frosty_piston.job.judging.result import place
from frosty_piston.job.judging.starts import plug_shares
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.benches.plugs import plug_rows
from frosty_piston.web.frame.dependencies import GivenPapers, GivenWorkshop
from frosty_piston.web.frame.page import dated, money, render
from frosty_piston.web.frame.shown_pictures import Shown, pictures_of
from frosty_piston.web.frame.tape_rows import MOST_PRINTED, tape_view

router = APIRouter()
MOST_ON_PAPER = 4
PAPER_PX = 700
PRINT_SIZES = ((36, "usual"), (50, "small"))


def show(record: JobRecord, workshop: Workshop) -> dict[str, Any]:
    """What both the page and the PDF print."""
    report = build_report(record.assessed)
    currency = workshop.settings.prices().currency
    knowledge = workshop.knowledge
    warnings = warned(report)
    head = head_parts(report)
    parts = owner_parts(report, lambda amount: money(amount, currency))
    order = [x.id for x in record.job.tape]
    seen = 14 if on_paper(record, workshop) else 0
    lines = 2 * len(warnings) + 3 * len(report.figures) + lines_of((*head, *parts)) + seen
    return {
        "report": report,
        "warned": warnings,
        "head": head,
        "parts": parts,
        "print_size": next((name for most, name in PRINT_SIZES if lines <= most), "smallest"),
        "suspects_title": "Suspects at the repair" if record.job.repairs else "Suspects",
        "drawn": [
            (title, plug_rows(record, shares))
            for title, shares in (
                ("Before", plug_shares(record.assessed.diagnosis, order)),
                ("After", plug_shares(record.assessed.after, order)),
            )
            if shares
        ],
        "verdicts": [
            {
                "title": title,
                "rows": [
                    {
                        "test": knowledge.tests[verdict.test].title.split(",")[0].split(":")[0],
                        "at": place(verdict),
                        "verdict": verdict.judgement.verdict,
                        "says": called(verdict.judgement.cls),
                        "figure": verdict.judgement.said,
                        "because": verdict.judgement.because,
                    }
                    for verdict in verdicts
                ],
            }
            for title, verdicts in (
                ("Measured before", report.verdicts_before),
                ("Measured after", report.verdicts_after),
            )
            if verdicts
        ],
        "tape": tape_view(record, knowledge, most=MOST_PRINTED),
        "tape_title": _tape_title(record),
        "foot": _foot(record, workshop),
        "seen": on_paper(record, workshop),
        "letterhead": workshop.settings.get("letterhead"),
        "came": f"came in {dated(record.job.opened_at)}" if record.job.opened_at else "",
    }


def _tape_title(record: JobRecord) -> str:
    """What stands above the tape, and that it is not the whole of it where it is not."""
    count = len(record.job.tape)
    if count <= MOST_PRINTED:
        return "Tape"
    return (
        f"Tape: the newest {grouped(MOST_PRINTED)} of {grouped(count)} entries; all of it is in the job file"
    )


def on_paper(record: JobRecord, workshop: Workshop) -> list[Shown]:
    """The pictures that show the find: those that were put on the report, the newest of them."""
    mine = [p for p in pictures_of(record, workshop.pictures) if p.paper and p.here]
    copied = {p.copy_of for p in mine}
    return [p for p in mine if p.image not in copied][-MOST_ON_PAPER:]


def _foot(record: JobRecord, workshop: Workshop) -> str:
    imported_by = workshop.tapes.imported_by(record.job.id)
    head = workshop.tapes.chain_head(record.job.id)
    return (
        "Figures marked general are general engineering practice: check your service data. The job file holds"
        " all of this in an open form."
        + (
            f" Brought in from a file by {imported_by}; the names on its entries are those of the file."
            if imported_by
            else ""
        )
        + (
            f" Seal of this tape as printed: {head[:16]}; the job file carries it whole, and an entry changed"
            " later no longer fits it."
            if head
            else ""
        )
    )


@router.get("/jobs/{job_id}/report")
def report_page(request: Request, job_id: str, workshop: GivenWorkshop) -> Response:
    record = workshop.tapes.job(job_id)
    return render(
        request,
        "report/page.html",
        record=record,
        job=record.job,
        **show(record, workshop),
        standing=record.standing,
    )


def _texts(value: Any) -> Any:
    """Every text of a sheet with its figures bound to their units."""
    if isinstance(value, str):
        return bound(value)
    if isinstance(value, dict):
        return {key: _texts(v) for key, v in value.items()}
    return [_texts(v) for v in value] if isinstance(value, list | tuple) else value


def _plug(plug: dict[str, Any]) -> dict[str, Any]:
    share = plug["share"]
    return {
        "cylinder": str(plug["cylinder"]),
        "verdict": plug["verdict"],
        "share": max(0.0, min(1.0, share or 0.0)),
        "says": percent(share) if share is not None else "?",
    }


def sheet(record: JobRecord, workshop: Workshop) -> dict[str, Any]:
    """The report as texts alone, for the PDF."""
    shown = show(record, workshop)
    report = shown["report"]
    job = record.job
    parts = [
        {"title": paragraph.title, "lines": paragraph.lines, "rest": paragraph.rest, "wide": paragraph.wide}
        for paragraph in (*shown["head"], *shown["parts"])
    ]
    made: dict[str, Any] = _texts(
        {
            "workshop": str(shown["letterhead"].get("name", "")),
            "note": str(shown["letterhead"].get("note", "")),
            "title": job.vehicle.name,
            "sub": " · ".join(filter(None, (job.engine.name, report.odometer, shown["came"]))),
            "status": report.proof.status,
            "status_word": report.proof.word,
            "sure": percent(report.proof.sure) if report.proof.sure is not None else "",
            "warnings": shown["warned"],
            "head": parts[: len(shown["head"])],
            "parts": parts[len(shown["head"]) :],
            "rest": [{"title": p["title"], "lines": p["rest"]} for p in parts if p["rest"]],
            "plugs": [
                {"title": title, "plugs": [_plug(p) for row in rows for p in row]}
                for title, rows in shown["drawn"]
            ],
            "figures": [
                {
                    "what": figure.what,
                    "because": figure.because,
                    "before": figure.before,
                    "after": figure.after or "not read",
                }
                for figure in report.figures
            ],
            "suspects_title": shown["suspects_title"],
            "suspects": [{"title": t, "sure": p, "because": why} for t, p, why in report.suspects],
            "verdicts": shown["verdicts"],
            "seen": [
                {
                    "says": picture.alt,
                    "bytes": list(smaller(workshop.pictures.data(picture.image), PAPER_PX)),
                }
                for picture in shown["seen"]
            ],
            "tape": [
                {"at": dated(r.at), "by": r.by, "says": r.says, "gone": r.gone}
                for r in reversed(shown["tape"]["rows"])
            ],
            "tape_title": shown["tape_title"],
            "foot": shown["foot"],
        }
    )
    return made


@router.get("/jobs/{job_id}/report.pdf")
def report_as_pdf(job_id: str, workshop: GivenWorkshop, papers: GivenPapers) -> Response:
    """The owner's page and the record as one PDF."""
    record = workshop.tapes.job(job_id)
    return Response(
        papers.read(json.dumps({"paper": "report", "sheet": sheet(record, workshop)}).encode()),
        media_type="application/pdf",
        headers={"Content-Disposition": f'attachment; filename="{job_id}-report.pdf"'},
    )
