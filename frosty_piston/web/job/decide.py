"""Decide: what can be done side by side, the owner's yes with a ceiling, written warnings."""

from collections.abc import Mapping
from dataclasses import replace
from typing import Annotated, Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from frosty_piston.core.errors import NotHere
from frosty_piston.core.quantity import percent, plain
from frosty_piston.core.words import inside
from frosty_piston.job.entries import Consent, OptionPicked, Warning_
from frosty_piston.job.repair.decide import Offer, Prices, advice, typed_on_tape, weigh_offers
from frosty_piston.job.repair.fit import above_ceiling, agreed, chosen, consent
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.frame.dependencies import GivenForm, GivenWorkshop
from frosty_piston.web.frame.forms import Fields, Form, figure, known, line, money, one_of, whole
from frosty_piston.web.frame.job_form import submit
from frosty_piston.web.frame.links import place_link
from frosty_piston.web.frame.page import job_page

router = APIRouter()
WORK = "decide/_work.html"
PARTS = (
    ("parts", "parts"),
    ("labour", "labour"),
    ("tax", "tax"),
    ("if_not_cured", "if it does not cure"),
    ("if_back", "if it comes back"),
    ("if_broken", "if something breaks"),
    ("standstill", "standing still"),
)
SHOWN = 4
LEFT_SHOWN = 3


def prices_of(record: JobRecord, workshop: Workshop) -> Prices:
    """The workshop's prices; for single options what was typed for this engine card, and on this job."""
    knowledge = workshop.knowledge
    own = workshop.settings.get(f"prices:{record.job.engine.name}")
    typed = {
        option: {n: float(v) for n, v in given.items()}
        for option, given in own.items()
        if option in knowledge.options
    }
    deadline = record.job.deadline
    return replace(
        workshop.settings.prices(),
        typed={**typed, **typed_on_tape(record.job, knowledge)},
        standstill_per_day=deadline.data.standstill_per_day if deadline else 0,
    )


def offer_view(record: JobRecord, workshop: Workshop, offer: Offer, most: int) -> dict[str, Any]:
    """An offer as bars: each part of the expected cost with its width; what it cures and leaves; break-even
    in words."""
    costed = offer.costed
    knowledge = workshop.knowledge
    bars = []
    at = 0.0
    for name, label in PARTS:
        if amount := getattr(costed, name):
            width = amount / most * 100
            bars.append(
                {"name": name, "label": label, "amount": amount, "x": round(at, 2), "width": round(width, 2)}
            )
            at += width
    leaves = [
        {
            "fault": fault,
            "title": knowledge.faults[fault].title if fault in knowledge.faults else "something not listed",
            "percent": percent(chance),
        }
        for fault, chance in offer.leaves
    ]
    even = f"Worth it above {percent(costed.break_even)} sure." if costed.break_even is not None else ""
    if costed.option.days < 0.5:
        days = "today"
    elif costed.option.days != 1:
        days = f"in {plain(costed.option.days)} days"
    else:
        days = "tomorrow"
    single = offer.options[0] if len(offer.options) == 1 else None
    pieces = len(offer.cylinders) or 1
    return {
        "o": offer,
        "c": costed,
        "single": single,
        "unit_part": round(costed.option.parts / pieces),
        "hours": costed.option.labour_h + costed.option.access_h,
        "bars": bars,
        "even": even,
        "cures": percent(offer.cures),
        "back": percent(costed.option.comes_back),
        "breaks": percent(costed.option.breaks),
        "leaves": leaves[:LEFT_SHOWN],
        "days": days,
        "temporary": any(x.shape.temporary for x in offer.options),
        "repairs": [knowledge.repairs[r].title for r in offer.repairs],
    }


def _grouped(record: JobRecord, workshop: Workshop, offers: list[Offer]) -> list[dict[str, Any]]:
    """The offers by what they repair, the likeliest first; what does two together stands on top."""
    knowledge = workshop.knowledge
    most = max((o.costed.expected for o in offers), default=1)
    found: dict[str, list[Offer]] = {}
    for o in offers:
        found.setdefault("together" if len(o.options) > 1 else o.options[0].repair, []).append(o)
    suspicion = record.assessed.suspicion

    def stands(key: str) -> float:
        return (
            2.0
            if key == "together"
            else max((suspicion.odds(f) for f in knowledge.repairs[key].cures), default=0.0)
        )

    groups = []
    for key in sorted(found, key=lambda key: -stands(key)):
        views = [offer_view(record, workshop, o, most) for o in found[key]]
        title = (
            "More than one fault stands: both together" if key == "together" else knowledge.repairs[key].title
        )
        groups.append(
            {
                "key": key,
                "title": title,
                "odds": "" if key == "together" else percent(stands(key)),
                "first": views[:SHOWN],
                "more": views[SHOWN:],
            }
        )
    return groups


def show(record: JobRecord, workshop: Workshop) -> dict[str, Any]:
    prices = prices_of(record, workshop)
    knowledge = workshop.knowledge
    offers = weigh_offers(record.assessed, prices)
    picked = chosen(record.job)
    yes = consent(record.job)
    asked = picked.data.option.split("+") if picked else []
    heard = [
        {
            "says": answer.says,
            "link": place_link(record.assessed.knowledge, record.job.id, answer.where)
            if answer.where
            else "",
            "before": answer.before,
        }
        for answer in advice(record.assessed)
    ]
    following = record.standing.after_waits
    if following.kind in ("reread", "judge", "test"):
        heard = [h for h in heard if following.kind != "reread" or "connector alone" not in str(h["says"])]
        heard.insert(
            0,
            {
                "says": f"{following.does} first. {following.because}",
                "link": place_link(record.assessed.knowledge, record.job.id, following.where),
                "before": following.kind == "reread",
            },
        )
    return {
        "groups": _grouped(record, workshop, offers),
        "prices": prices,
        "picked": picked,
        "yes": yes,
        "above": above_ceiling(record.job),
        "heard": heard,
        "cheapest": offers[0].id if offers else "",
        "agreed": agreed(record.job),
        "consents": list(record.job.of(Consent)),
        "asked_for": [(o, knowledge.options[o].title) for o in asked if o in knowledge.options],
        "warnings": list(record.job.of(Warning_)),
        "typed": prices.typed,
    }


class PriceForm(Fields):
    option: Annotated[str | None, known(lambda asking: asking.workshop.knowledge.options)]
    parts: Annotated[int | None, money(needed=True)]
    labour_h: Annotated[float | None, figure("", 0, 200)]
    access_h: Annotated[float | None, figure("", 0, 200)]
    consumables: Annotated[int | None, money()]
    days: Annotated[float | None, figure("", 0, 365)]
    warranty_months: Annotated[int | None, whole(0, 120)]


def price(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """The prices of one option: on this job, and for the next one of this engine card."""
    fields = form.read(PriceForm, record, workshop)
    form.done()
    given = {
        "parts": fields.parts,
        "labour_h": fields.labour_h,
        "access_h": fields.access_h,
        "consumables": fields.consumables or 0,
        "days": fields.days or 0.0,
        "warranty_months": fields.warranty_months or 0,
    }
    given = {name: value for name, value in given.items() if value is not None}
    if record.job.engine.name != "Engine not named":
        key = f"prices:{record.job.engine.name}"
        workshop.settings.save(key, {**workshop.settings.get(key), str(fields.option): given})
    return [form.entry("option", {"option": fields.option, **given})]


class PickForm(Fields):
    reason: Annotated[str | None, line(400)]


def pick(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """The technician picks; another than the cheapest, or one that still lacks its reading, needs a
    reason."""
    fields = form.read(PickForm, record, workshop)
    offers = {o.id: o for o in weigh_offers(record.assessed, prices_of(record, workshop))}
    name = form.raw("option")
    if name not in offers:
        form.wrong("option", "choose one of the offers on this page")
    form.done()
    picked = offers[name]
    cheapest = next(iter(offers.values()))
    lacking = next((a for a in advice(record.assessed) if a.before), None)
    if picked is not cheapest and not fields.reason:
        form.wrong("reason", f"“{cheapest.title}” is expected to cost less; say why this one")
    elif lacking and not fields.reason:
        form.wrong("reason", f"Say why it goes on without it: {inside(lacking.says)}")
    form.done()
    before = chosen(record.job)
    if before and before.data.option != name and form.raw("instead") != before.data.option:
        form.wrong("instead", _replaces(before.data, name, offers))
        form.done()
    costed = picked.costed
    option = picked.costed.option
    return [
        form.entry(
            "option",
            {
                "option": name,
                "title": picked.title[:200],
                "parts": option.parts,
                "labour_h": option.labour_h,
                "access_h": option.access_h,
                "consumables": option.consumables,
                "price": costed.price,
                "expected": costed.expected,
                "cures": round(option.cures, 4),
                "comes_back": round(option.comes_back, 4),
                "breaks": round(option.breaks, 4),
                "days": option.days,
                "warranty_months": option.warranty_months,
                "chosen": True,
                "reason": fields.reason,
            },
        )
    ]


def _replaces(before: OptionPicked, name: str, offers: Mapping[str, Offer]) -> str:
    """What a second pick would put aside, and how both are had."""
    both = {*before.option.split("+"), *name.split("+")}
    joined = next((o.title for key, o in offers.items() if set(key.split("+")) == both), None)
    together = f"For both, pick “{joined}”." if joined else "Both at once are not among the offers."
    title = before.title or before.option
    return f"“{title}” is picked already. {together} Press again to pick this one instead."


class ConsentForm(Fields):
    who: Annotated[str | None, line(120, "write who said it")]
    answer: Annotated[str | None, one_of("yes", "no")]
    how: Annotated[str | None, one_of("phone", "in_person", "writing")]
    declined: Annotated[str | None, line(400)]
    grew: Annotated[str | None, line(400)]


def consent_form(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    fields = form.read(ConsentForm, record, workshop)
    ceiling = form.money("ceiling", needed=fields.answer == "yes")
    picked = chosen(record.job)
    if picked is None:
        form.wrong("answer", "pick an option first, so that it is clear what the owner was asked")
    asked = (
        form.choice("option", [picked.data.option, *picked.data.option.split("+")], needed=False)
        if picked
        else None
    )
    form.done()
    return [
        form.entry(
            "consent",
            {
                "option": asked or (picked.data.option if picked else None),
                "answer": fields.answer,
                "ceiling": ceiling,
                "who": fields.who,
                "how": fields.how,
                "declined": fields.declined,
                "grew": fields.grew,
            },
        )
    ]


class WarningForm(Fields):
    text: Annotated[str | None, line(2000, "write what is dangerous or not allowed")]
    urgency: Annotated[str | None, one_of("stop", "soon", "watch")]
    owner: Annotated[str | None, one_of("accepted", "declined", "not_told")]
    place: Annotated[str | None, line(120)]


def warning(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    fields = form.read(WarningForm, record, workshop)
    form.done()
    return [
        form.entry(
            "warning",
            {"text": fields.text, "urgency": fields.urgency, "place": fields.place, "owner": fields.owner},
        )
    ]


class RatesForm(Fields):
    currency: Annotated[str | None, line(8, "name the currency, as kr")]
    rate: Annotated[int | None, money(needed=True)]
    tax_percent: Annotated[float | None, figure("", 0, 100, needed=True)]


def rates(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """What the workshop charges; kept for all jobs."""
    fields = form.read(RatesForm, record, workshop)
    form.done()
    workshop.settings.save(
        "prices", {"rate": fields.rate, "tax_percent": fields.tax_percent, "currency": fields.currency}
    )
    return []


FORMS = {"rates": rates, "price": price, "pick": pick, "consent": consent_form, "warning": warning}


@router.get("/jobs/{job_id}/decide")
def decide(request: Request, job_id: str, workshop: GivenWorkshop) -> Response:
    record = workshop.tapes.job(job_id)
    view = show(record, workshop)
    return job_page(
        request, record, "decide", WORK, {**view, "grew": request.query_params.get("grew", "")[:200]}
    )


@router.post("/jobs/{job_id}/decide/{name}")
def decide_form(
    request: Request, job_id: str, name: str, form: GivenForm, workshop: GivenWorkshop
) -> Response:
    if name not in FORMS:
        raise NotHere("There is no such form.")
    return submit(
        request,
        workshop,
        job_id,
        form=form,
        name=name,
        maker=FORMS[name],
        stage="decide",
        work=WORK,
        show=lambda r, w: {**show(r, w), "grew": ""},
        back=f"/jobs/{job_id}/decide",
    )
