"""Decide: what can be done side by side, the owner's yes with a ceiling, written warnings."""

from dataclasses import replace
from typing import Annotated, Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from frosty_piston.core.errors import NotHere
from frosty_piston.core.quantity import percent, plain
from frosty_piston.core.words import inside, listed
from frosty_piston.job.entries import Consent, Warning_
from frosty_piston.job.repair.basket import Round, agreed, agreed_for, basket, bill, done_of
from frosty_piston.job.repair.decide import (
    Offer,
    Prices,
    advice,
    offer_of,
    possible,
    typed_on_tape,
    weigh_offers,
)
from frosty_piston.job.repair.fit import chosen
from frosty_piston.knowledge.repairs import Option
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
TOGETHER = {"together": "More than one fault stands: both together", "usual": "Usually done together"}
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


def _group_of(offer: Offer) -> str:
    """Under which heading an offer stands: what it repairs, or that it does two things together."""
    if offer.usual:
        return "usual"
    return "together" if len(offer.options) > 1 else offer.options[0].repair


def _grouped(record: JobRecord, workshop: Workshop, offers: list[Offer]) -> list[dict[str, Any]]:
    """The offers by what they repair, the likeliest first; what does two together stands on top."""
    knowledge = workshop.knowledge
    most = max((o.costed.expected for o in offers), default=1)
    found: dict[str, list[Offer]] = {}
    for o in offers:
        found.setdefault(_group_of(o), []).append(o)
    suspicion = record.assessed.suspicion

    def stands(key: str) -> float:
        if key in TOGETHER:
            return 2.0 if key == "together" else 0.0
        return max((suspicion.odds(f) for f in knowledge.repairs[key].cures), default=0.0)

    groups = []
    for key in sorted(found, key=lambda key: -stands(key)):
        views = [
            {
                **offer_view(record, workshop, o, most),
                "instead": "+".join(x.id for x in _given_up(record, workshop, o.id)),
            }
            for o in found[key]
        ]
        title = TOGETHER.get(key) or knowledge.repairs[key].title
        groups.append(
            {
                "key": key,
                "title": title,
                "odds": "" if key in TOGETHER else percent(stands(key)),
                "first": views[:SHOWN],
                "more": views[SHOWN:],
            }
        )
    return groups


def _basket_view(record: JobRecord, workshop: Workshop, now: Round | None) -> list[dict[str, Any]]:
    """What lies in the basket: each with why, whether the owner agreed to it and whether it is done."""
    if now is None:
        return []
    options = workshop.knowledge.options
    done = done_of(record.job, workshop.knowledge, now)
    return [
        {
            "id": p.option,
            "title": options[p.option].title if p.option in options else p.option,
            "repair": workshop.knowledge.repairs[options[p.option].repair].title
            if p.option in options
            else "",
            "reason": p.reason,
            "agreed": agreed_for(record.job, p.option),
            "done": p.option in done,
        }
        for p in now.picked
    ]


def _others(record: JobRecord, workshop: Workshop) -> list[tuple[str, list[tuple[str, str]]]]:
    """Every option that this engine can have, by repair."""
    return [
        (repair.title, [(o.id, o.title) for o in repair.options.values() if possible(record.assessed, o)])
        for repair in sorted(workshop.knowledge.repairs.values(), key=lambda r: r.title)
        if any(possible(record.assessed, o) for o in repair.options.values())
    ]


def show(record: JobRecord, workshop: Workshop) -> dict[str, Any]:
    prices = prices_of(record, workshop)
    knowledge = workshop.knowledge
    offers = weigh_offers(record.assessed, prices)
    picked = chosen(record.job)
    now = basket(record.job)
    asked = picked.data.option.split("+") if picked else []
    comes_to = bill(record.job, knowledge)
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
        "basket": _basket_view(record, workshop, now),
        "bill": comes_to,
        "others": _others(record, workshop),
        "groups_hold": {o.id for o in offers}.__contains__,
        "instead_of": lambda name: "+".join(o.id for o in _given_up(record, workshop, name)),
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
    typed = [form.entry("option", {"option": fields.option, **given})]
    now = basket(record.job)
    known_options = workshop.knowledge.options
    if now is None or fields.option not in now.options or done_of(record.job, workshop.knowledge, now):
        return typed
    prices = prices_of(record, workshop)
    figures = {name: float(value) for name, value in given.items() if value is not None}
    prices = replace(prices, typed={**prices.typed, str(fields.option): figures})
    lying = [known_options[o] for o in now.options if o in known_options]
    return [*typed, _in_basket(form, record, lying, prices, now.entry.data.reason, "basket")]


class PickForm(Fields):
    reason: Annotated[str | None, line(400)]


def pick(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """The technician puts an option into the basket, or several together. Another than the cheapest, one
    more, or one that still lacks its reading needs a reason; nothing is replaced in silence."""
    fields = form.read(PickForm, record, workshop)
    assessed, prices = record.assessed, prices_of(record, workshop)
    name = form.raw("option")
    asked = [workshop.knowledge.options.get(one) for one in name.split("+")]
    options = [o for o in asked if o is not None and possible(assessed, o)]
    if len(options) < len(asked):
        form.wrong("option", "choose one of the options on this page")
    form.done()
    now = basket(record.job)
    lying = _lying(record, workshop)
    given_up = _given_up(record, workshop, name)
    kept = [o for o in lying if o.id not in name.split("+") and o not in given_up]
    offers = weigh_offers(assessed, prices)
    lacking = next((a for a in advice(assessed) if a.before), None)
    if not fields.reason:
        if kept:
            form.wrong("reason", "say why this goes in as well")
        elif offers and name != offers[0].id:
            form.wrong("reason", f"“{offers[0].title}” is expected to cost less; say why this one")
        elif lacking:
            form.wrong("reason", f"Say why it goes on without it: {inside(lacking.says)}")
    form.done()
    given_up_ids = "+".join(o.id for o in given_up)
    if given_up and form.raw("instead") != given_up_ids:
        form.wrong("instead", _replaces(given_up))
    done = done_of(record.job, workshop.knowledge, now) if now else ()
    if any(o.id in done for o in given_up):
        form.wrong("option", f"“{given_up[0].title}” is done already: it stays")
    form.done()
    return [_in_basket(form, record, [*kept, *options], prices, fields.reason)]


def _lying(record: JobRecord, workshop: Workshop) -> list[Option]:
    """The options in the basket, those that are known."""
    now = basket(record.job)
    options = workshop.knowledge.options
    return [options[o] for o in (now.options if now else ()) if o in options]


def _given_up(record: JobRecord, workshop: Workshop, name: str) -> list[Option]:
    """What lies in the basket and would be done twice by what is put in, so that it gives way."""
    new = [o for one in name.split("+") if (o := workshop.knowledge.options.get(one))]
    beside = [o for o in _lying(record, workshop) if o not in new]
    return [o for o in beside if any(set(o.repairs) & set(x.repairs) for x in new)]


def _in_basket(
    form: Form,
    record: JobRecord,
    options: list[Option],
    prices: Prices,
    reason: str | None,
    part: str = "",
) -> dict[str, Any]:
    """The whole basket as one entry, with what it comes to together."""
    whole = offer_of(record.assessed, options, prices)
    costed, option = whole.costed, whole.costed.option
    return form.entry(
        "option",
        {
            "option": whole.id,
            "title": whole.title[:200],
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
            "reason": reason,
        },
        part,
    )


def _replaces(given_up: list[Option]) -> str:
    """What a pick would put aside."""
    titles = listed([f"“{o.title}”" for o in given_up])
    verb = "is" if len(given_up) == 1 else "are"
    return f"{titles} {verb} picked already for the same. Press again to have this one instead."


def drop(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """Take an option out of the basket again; what was done of it stays."""
    now = basket(record.job)
    name = form.raw("option")
    if now is None or name not in now.options:
        form.wrong("option", "that does not lie in the basket")
    elif name in done_of(record.job, workshop.knowledge, now):
        form.wrong("option", "that is done already: it stays on the bill")
    form.done()
    assert now is not None
    rest = [
        workshop.knowledge.options[o] for o in now.options if o != name and o in workshop.knowledge.options
    ]
    gone = workshop.knowledge.options.get(name)
    why = f"Taken out: {gone.title if gone else name}"[:400]
    if rest:
        return [_in_basket(form, record, rest, prices_of(record, workshop), why)]
    put_in = [
        x
        for x in record.job.live
        if x.kind == "option" and x.data.chosen and record.job.position[x.id] >= now.start
    ]
    taken_back = ({"corrects": x.id, "reason": why} for x in put_in)
    return [form.entry("correction", data, str(n)) for n, data in enumerate(taken_back)]


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


FORMS = {
    "rates": rates,
    "price": price,
    "pick": pick,
    "drop": drop,
    "consent": consent_form,
    "warning": warning,
}


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
