"""The parts order across jobs: wanted, ordered, due, arrived. What arrives ends the wait it was waited for
with."""

from datetime import timedelta
from typing import Any
from uuid import uuid4

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from frosty_piston.core.errors import BadInput, FrostyPistonError, NotHere
from frosty_piston.core.words import listed
from frosty_piston.job.repair.waits import open_waits
from frosty_piston.job.repair.work import to_do
from frosty_piston.store.orders import Order
from frosty_piston.store.timestamps import now, stamp
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.frame.dependencies import GivenForm, GivenPapers, GivenWorkshop
from frosty_piston.web.frame.forms import Form
from frosty_piston.web.frame.page import Kept, dated, money, person, render, status_of
from frosty_piston.web.job import papers

router = APIRouter()
WAIT = "parts"
LISTED = 60


def suggested(record: JobRecord, workshop: Workshop) -> list[tuple[str, int]]:
    """What the picked work takes that is not on the order yet: its part, and what is new each time."""
    there = {o.what for o in workshop.orders.of_job(record.job.id)}
    found: dict[str, int] = {}
    for work in to_do(record.assessed):
        if work.entry is None:
            shape = work.plan.repair.shape
            if work.act == "replaced":
                found[shape.parts_word or shape.part] = len(work.cylinders) or 1
            for name, done in work.plan.new_parts:
                if not done:
                    found.setdefault(name, 1)
    return [(what, count) for what, count in found.items() if what not in there]


def _jobs(workshop: Workshop, asked: str) -> dict[str, str]:
    """The open jobs with their vehicles, as many as a list can hold, and the one that was asked for."""
    rows = workshop.yard.jobs(limit=LISTED)
    asked_for = workshop.yard.open_one(asked) if asked else None
    return {r.id: r.vehicle_name for r in [*rows, *([asked_for] if asked_for else [])]}


def _view(workshop: Workshop, job_id: str) -> dict[str, Any]:
    jobs = _jobs(workshop, job_id)
    record = workshop.tapes.job(job_id) if job_id in jobs else None
    return {
        "orders": workshop.orders.all(),
        "arrived": workshop.orders.all(arrived=True)[:20],
        "jobs": list(jobs.items()),
        "asked": job_id if record else "",
        "suggested": suggested(record, workshop) if record else [],
        "currency": workshop.settings.prices().currency,
        "soon": (now() + timedelta(days=2)).astimezone(),
    }


def _page(
    request: Request, workshop: Workshop, job_id: str, kept: Kept | None = None, status: int = 200
) -> Response:
    return render(request, "orders/page.html", status, **_view(workshop, job_id), kept=kept or Kept())


@router.get("/orders")
def orders_page(request: Request, workshop: GivenWorkshop, job: str = "") -> Response:
    return _page(request, workshop, job)


def _want(form: Form, workshop: Workshop, by: str) -> None:
    """One part that was typed, or those that the plan takes."""
    job = form.choice("job", list(_jobs(workshop, form.raw("job"))))
    supplier = form.text("supplier", 120)
    price = form.money("price")
    chosen = [
        (x.partition(" × ")[2], int(x.partition(" × ")[0])) for x in form.all("take") if x[:1].isdigit()
    ]
    typed = form.text("what", 200)
    count = form.whole("count", 1, 999) or 1
    if not typed and not chosen:
        form.wrong("what", "say what is wanted")
    form.done()
    for n, (what, many) in enumerate([*chosen, *([(typed, count)] if typed else [])]):
        key = f"{form.key or uuid4()}-{n}"
        workshop.orders.want(
            key, str(job), str(what)[:200], count=many, supplier=supplier or "", price=price, by=by
        )


def _ordered(form: Form, workshop: Workshop, by: str) -> None:
    """Ordered and due: the job waits for it from now on, with an end."""
    order = workshop.orders.one(form.raw("id"))
    due = form.moment("due", "say when it should be here")
    form.done()
    assert due is not None
    workshop.orders.ordered(order.id, due, _wait_for(workshop, order, form, due, by))


def _wait_for(workshop: Workshop, order: Order, form: Form, due: Any, by: str) -> str:
    """The wait of a job for its parts: the one that runs, with a later end when this is due later."""
    record = workshop.tapes.job(order.job)
    running = next((x for x in open_waits(record.job) if x.data.wait == WAIT), None)
    what = f"{order.count} × {order.what}"
    if running is not None and running.data.until is not None and running.data.until >= due:
        return running.id
    key = f"wait-{order.id}"[:58]
    wait_id = f"{key}-{uuid4().hex[:5]}"
    entries = [
        {"id": wait_id, "kind": "wait", "data": {"wait": WAIT, "what": what[:200], "until": stamp(due)}}
    ]
    if running is not None:
        ends = {"wait": WAIT, "what": running.data.what, "state": "ended", "ends": running.id}
        entries.insert(
            0, {"id": f"{wait_id}-a", "kind": "wait", "data": {**ends, "seen": "more is ordered, due later"}}
        )
    workshop.tapes.write(order.job, entries, by or None)
    if running is not None:
        for other in workshop.orders.of_job(order.job):
            if other.wait_id == running.id and other.due_at is not None and other.arrived_at is None:
                workshop.orders.ordered(other.id, other.due_at, wait_id)
    return wait_id


def _arrived(form: Form, workshop: Workshop, by: str) -> None:
    """It is here. When nothing else of its job is on the way, the wait for parts is over."""
    order = workshop.orders.one(form.raw("id"))
    if not workshop.orders.arrived(order.id, by):
        return
    record = workshop.tapes.job(order.job)
    mine = [o for o in workshop.orders.of_job(order.job) if o.wait_id and o.wait_id == order.wait_id]
    if order.wait_id not in {x.id for x in open_waits(record.job)} or any(o.arrived_at is None for o in mine):
        return
    wait = next(x for x in open_waits(record.job) if x.id == order.wait_id)
    seen = f"arrived: {listed([f'{o.count} × {o.what}' for o in mine])}"
    data = {"wait": WAIT, "what": wait.data.what, "state": "ended", "ends": wait.id, "seen": seen[:400]}
    workshop.tapes.write(
        order.job, [{"id": f"{wait.id}-over"[:64], "kind": "wait", "data": data}], by or None
    )


def _drop(form: Form, workshop: Workshop, by: str) -> None:
    workshop.orders.drop(form.raw("id"))


FORMS = {"want": _want, "ordered": _ordered, "arrived": _arrived, "drop": _drop}


@router.post("/orders/{name}")
def order_form(request: Request, name: str, form: GivenForm, workshop: GivenWorkshop) -> Response:
    if name not in FORMS:
        raise NotHere("There is no such form.")
    job_id = form.raw("job") or form.raw("asked")
    try:
        FORMS[name](form, workshop, person(request))
    except BadInput as error:
        which = name if name == "want" else f"{name}-{form.raw('id')}"
        return _page(request, workshop, job_id, Kept.of(which, error, form.kept), 422)
    except FrostyPistonError as error:
        return _page(request, workshop, job_id, Kept(name, form.kept, {"": str(error)}), status_of(error))
    return RedirectResponse(f"/orders?job={job_id}" if job_id else "/orders", 303)


def _sheet(workshop: Workshop) -> papers.Sheet:
    """What is to be ordered and what is on the way, as a paper."""
    currency = workshop.settings.prices().currency

    def row(order: Order) -> list[str]:
        return [
            str(order.count),
            order.what,
            order.vehicle,
            order.supplier,
            money(order.price, currency) if order.price is not None else "",
            dated(order.due_at) if order.due_at else "",
        ]

    head = ["Count", "What", "For", "From", "Price", "Due"]
    widths = [0.6, 3.0, 2.0, 1.6, 1.0, 1.6]
    every = workshop.orders.all()
    parts = {
        "To order": [row(o) for o in every if o.state == "wanted"],
        "On the way": [row(o) for o in every if o.state == "ordered"],
    }
    blocks = tuple(papers.table(title, head, rows, widths) for title, rows in parts.items() if rows)
    return papers.Sheet(
        "Parts order", f"Printed {dated(now())}", blocks or (papers.lines("", "Nothing is on the order."),)
    )


@router.get("/orders/paper.pdf")
def order_pdf(workshop: GivenWorkshop, setters: GivenPapers) -> Response:
    return papers.as_file(papers.pdf_of(_sheet(workshop), workshop, setters), "parts-order.pdf")


@router.get("/orders/paper")
def order_paper(request: Request, workshop: GivenWorkshop) -> Response:
    return papers.answered(request, workshop, _sheet(workshop), "/orders", "/orders/paper.pdf")
