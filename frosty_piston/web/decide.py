"""Decide: options side by side, the owner's yes with a ceiling, written warnings."""

from dataclasses import replace
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from frosty_piston.core.errors import NotHere
from frosty_piston.core.quantity import percent
from frosty_piston.job.decide import Prices, Weighed, warnings, weigh_options
from frosty_piston.job.fit import chosen, consent
from frosty_piston.store.workshop import JobRecord, Workshop

from .forms import Form
from .given import GivenForm, GivenWorkshop
from .jobform import submit
from .page import job_page

router = APIRouter()
WORK = "decide/_work.html"
PARTS = (("parts", "parts"), ("labour", "labour"), ("tax", "tax"), ("if_not_cured", "if it does not cure"), ("if_back", "if it comes back"),
         ("if_broken", "if something breaks"), ("standstill", "standing still"))


def prices_of(record: JobRecord, workshop: Workshop) -> Prices:
    """The workshop's prices with what was typed on this job: the latest price on the tape for each option."""
    typed: dict[str, dict[str, float]] = {}
    for x in record.job.of("option"):
        if x.data.option in workshop.knowledge.options and not x.data.chosen:
            d = x.data
            given = {"part": d.parts, "hours": d.labour_h, "access": d.access_h if "access_h" in d.model_fields_set else None, "consumables": d.consumables, "days": d.days, "warranty": d.warranty_months}
            typed[d.option] = {key: value for key, value in given.items() if value is not None}
    deadline = record.job.last("deadline")
    return replace(workshop.prices(), typed=typed, standstill_per_day=deadline.data.standstill_per_day if deadline else 0)


def option_view(w: Weighed, most: int, currency: str) -> dict[str, Any]:
    """An option as bars: each part of the expected cost with its width, and the break-even in words."""
    c = w.costed
    bars, at = [], 0.0
    for name, label in PARTS:
        amount = getattr(c, name)
        if amount:
            width = amount / most * 100
            bars.append({"name": name, "label": label, "amount": amount, "x": round(at, 2), "width": round(width, 2)})
            at += width
    even = f"Worth it above {percent(c.break_even)} sure." if c.break_even is not None else ""
    return {"w": w, "c": c, "hours": c.option.labour_h + c.option.access_h, "bars": bars, "even": even, "cures": percent(c.option.cures), "back": percent(c.option.comes_back), "breaks": percent(c.option.breaks)}


def show(record: JobRecord, workshop: Workshop) -> dict[str, Any]:
    prices = prices_of(record, workshop)
    options = sorted(weigh_options(record.assessed, prices), key=lambda w: w.costed.expected)
    most = max((w.costed.expected for w in options), default=1)
    picked, yes = chosen(record.job), consent(record.job)
    above = picked is not None and yes is not None and yes.data.ceiling is not None and picked.data.price is not None and picked.data.price > yes.data.ceiling
    return {"options": [option_view(w, most, prices.currency) for w in options], "prices": prices, "picked": picked, "yes": yes, "above": above,
            "warn": warnings(record.assessed), "warnings": list(record.job.of("warning")), "typed": prices.typed}


def price(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """The prices of one option, as they are today."""
    option = form.choice("option", workshop.knowledge.options)
    part, hours, access = form.money("part", needed=True), form.figure("hours", "", 0, 200), form.figure("access", "", 0, 200)
    other, days, warranty = form.money("consumables"), form.figure("days", "", 0, 365), form.whole("warranty", 0, 120)
    form.done()
    return [form.entry("option", {"option": option, "parts": part, "labour_h": hours if hours is not None else 0.0, "access_h": access, "consumables": other or 0, "days": days or 0.0, "warranty_months": warranty or 0})]


def pick(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """The technician picks; another than the cheapest needs a reason."""
    options = {w.costed.option.id: w for w in weigh_options(record.assessed, prices_of(record, workshop))}
    name = form.choice("option", options)
    reason = form.text("reason", 400)
    form.done()
    picked = options[name]
    cheapest = min(options.values(), key=lambda w: w.costed.expected)
    if picked is not cheapest and not reason:
        form.wrong("reason", f"{cheapest.costed.option.title} is expected to cost less; say why this one")
    form.done()
    c, o = picked.costed, picked.costed.option
    return [form.entry("option", {"option": name, "title": o.title, "parts": o.parts, "labour_h": o.labour_h, "access_h": o.access_h, "consumables": o.consumables,
                                  "price": c.price, "expected": c.expected, "cures": round(o.cures, 4), "comes_back": round(o.comes_back, 4), "breaks": round(o.breaks, 4),
                                  "days": o.days, "warranty_months": o.warranty_months, "chosen": True, "reason": reason})]


def consent_form(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    answer, how = form.choice("answer", ("yes", "no")), form.choice("how", ("phone", "in_person", "writing"))
    who = form.text("who", 120, "write who said it")
    ceiling = form.money("ceiling", needed=answer == "yes")
    declined = form.text("declined", 400)
    picked = chosen(record.job)
    if picked is None:
        form.wrong("answer", "pick an option first, so that it is clear what the owner was asked")
    form.done()
    return [form.entry("consent", {"option": picked.data.option if picked else None, "answer": answer, "ceiling": ceiling, "who": who, "how": how, "declined": declined})]


def warning(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    text = form.text("text", 2000, "write what is dangerous or not allowed")
    urgency = form.choice("urgency", ("stop", "soon", "watch"))
    owner = form.choice("owner", ("accepted", "declined", "not_told"))
    place = form.text("place", 120)
    form.done()
    return [form.entry("warning", {"text": text, "urgency": urgency, "place": place, "owner": owner})]


def rates(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """What the workshop charges; kept for all jobs."""
    rate, tax = form.money("rate", needed=True), form.figure("tax_percent", "", 0, 100, needed=True)
    currency = form.text("currency", 8, "name the currency, as kr")
    form.done()
    workshop.save_setting("prices", {"rate": rate, "tax_percent": tax, "currency": currency})
    return []


FORMS = {"rates": rates, "price": price, "pick": pick, "consent": consent_form, "warning": warning}


@router.get("/jobs/{job_id}/decide")
def decide(request: Request, job_id: str, workshop: GivenWorkshop) -> Response:
    record = workshop.job(job_id)
    return job_page(request, record, "decide", WORK, show(record, workshop))


@router.post("/jobs/{job_id}/decide/{name}")
def decide_form(request: Request, job_id: str, name: str, form: GivenForm, workshop: GivenWorkshop) -> Response:
    if name not in FORMS:
        raise NotHere("There is no such form.")
    return submit(request, workshop, job_id, form, name, FORMS[name], "decide", WORK, show, f"/jobs/{job_id}/decide")


