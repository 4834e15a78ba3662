"""The vehicle and engine card of a job: known, new or copied."""

from collections.abc import Callable
from dataclasses import replace
from typing import Any, get_args

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from pydantic import ValidationError

from frosty_piston.core.errors import BadInput, Busy, Conflict, Fault, NotHere
from frosty_piston.core.words import spoken
from frosty_piston.job.check import said
from frosty_piston.job.engine import EngineCard, limit_faults
from frosty_piston.job.tape.fold import Job
from frosty_piston.job.units import convertible, typed
from frosty_piston.store.garage import CardsChanged, NewCards, Seen, cards_of
from frosty_piston.store.tapes import UNNAMED_ENGINE, UNNAMED_VEHICLE
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.frame.dependencies import GivenForm, GivenWorkshop
from frosty_piston.web.frame.forms import Form
from frosty_piston.web.frame.page import Kept, job_page, status_of, writer

router = APIRouter()
WORK = "arrive/_vehicle.html"
YES_NO = ("yes", "no")
FIGURES = {
    "cylinders": ("Cylinders", "", 1, 16),
    "displacement_l": ("Displacement", "l", 0.1, 100),
    "compression_ratio": ("Compression ratio", "", 8, 30),
    "glow_nominal_ohm": ("Glow plug resistance, nominal", "ohm", 0.05, 10),
    "batteries": ("Batteries", "", 1, 2),
}
LABELS = {
    "arrangement": "Arrangement",
    "combustion": "Combustion",
    "injection": "Injection",
    "glow": "Glow plugs",
    "glow_control": "Glow control",
    "intake_heater": "Intake heater",
    "stop": "Engine stop",
    "turbo": "Turbo",
    "egr_drive": "EGR drive",
    "egr_cooler_bypass": "EGR cooler bypass",
    "inlet_flap": "Inlet flap",
    "swirl_flaps": "Swirl flaps",
    "vacuum_pump": "Vacuum pump",
    "vacuum_mounts": "Engine mounts worked by vacuum",
    "dpf": "Particulate filter",
    "scr": "DEF dosing (SCR)",
    "system_voltage": "System voltage",
}
EGR = ("none", "high_pressure", "low_pressure", "both")


def _chosen(field: str, word: str | None) -> str | int | bool | None:
    """What a word picked for a field of the engine card stands for there."""
    if word is None:
        return None
    if choices(field) == YES_NO:
        return word == "yes"
    return int(word) if field == "system_voltage" else word


def choices(field: str) -> tuple[str, ...]:
    """The words an engine card accepts for a field, from its own model."""
    names: list[str] = []
    todo = [EngineCard.model_fields[field].annotation]
    while todo:
        part = todo.pop()
        if part is bool:
            return YES_NO
        for arg in get_args(part):
            if isinstance(arg, str | int) and not isinstance(arg, bool):
                names.append(str(arg))
            elif arg is not type(None):
                todo.append(arg)
    return tuple(names)


def fields(card: EngineCard) -> list[dict[str, Any]]:
    """The fields of the card as the form shows them, unknown left empty."""
    rows: list[dict[str, Any]] = []
    for name, (label, unit, _, _) in FIGURES.items():
        value = getattr(card, name)
        rows.append(
            {
                "name": name,
                "label": label,
                "unit": unit,
                "value": "" if value is None else f"{value:g}",
                "choices": None,
            }
        )
    for name, label in LABELS.items():
        value = getattr(card, name)
        if value is None:
            shown = ""
        elif isinstance(value, bool):
            shown = "yes" if value else "no"
        else:
            shown = str(value)
        rows.append({"name": name, "label": label, "unit": "", "value": shown, "choices": choices(name)})
    if card.egr is None:
        egr = ""
    elif not card.egr:
        egr = "none"
    elif len(card.egr) == 2:
        egr = "both"
    else:
        egr = card.egr[0]
    rows.append({"name": "egr", "label": "EGR", "unit": "", "value": egr, "choices": EGR})
    return rows


def show(record: JobRecord, workshop: Workshop, copy: int | None = None) -> dict[str, Any]:
    knowledge = workshop.knowledge
    card = record.job.engine
    cards = workshop.garage.cards()
    shown = next((c for i, c in cards if i == copy), card)
    limits: list[dict[str, Any]] = [
        {
            "name": f"limit_{key}",
            "label": figure.title,
            "unit": figure.unit,
            "value": f"{limit:g}" if (limit := shown.limit(key)) is not None else "",
            "choices": None,
            "general": figure.general,
        }
        for key, figure in knowledge.figures.items()
        if figure.ask or shown.limit(key) is not None
    ]
    limits += [
        {
            "name": f"limit_{key}",
            "label": choice.title,
            "unit": "",
            "value": shown.choice(key) or "",
            "choices": choice.choices,
            "general": None,
        }
        for key, choice in knowledge.choices.items()
    ]
    if shown.name == UNNAMED_ENGINE:
        name = ""
    elif copy:
        name = f"{shown.name} copy"
    else:
        name = shown.name
    return {
        "seen": str(workshop.garage.seen(record.job, record.vehicle_id)),
        "cards": cards,
        "vehicles": workshop.garage.vehicles(),
        "fields": fields(shown),
        "limits": limits,
        "other_limits": [
            (key, f"{f.title}, general {f.general:g} {f.unit}".strip())
            for key, f in knowledge.figures.items()
            if not f.ask and f.general is not None and shown.limit(key) is None
        ],
        "card_name": name,
        "copying": copy,
        "unnamed": UNNAMED_VEHICLE,
        "unnamed_engine": UNNAMED_ENGINE,
    }


def _limit(form: Form, k: Any, field: str, key: str, needed: bool = False) -> float | None:
    figure = k.figures[key]
    return form.figure(
        field, figure.unit if convertible(figure.unit) else "", figure.low, figure.high, needed
    )


def read_card(form: Form, knowledge: Any) -> dict[str, Any]:
    """Read the form into an engine card; every fault is named at its field."""
    data: dict[str, Any] = {"name": form.text("name", 120, "give the engine card a name")}
    for name, (_, unit, low, high) in FIGURES.items():
        whole = name in ("cylinders", "batteries")
        data[name] = (
            form.whole(name, int(low), int(high))
            if whole
            else form.figure(name, unit if unit != "l" else "", low, high)
        )
    for name in LABELS:
        data[name] = _chosen(name, form.choice(name, choices(name), needed=False))
    egr = form.choice("egr", EGR, needed=False)
    data["egr"] = {None: None, "none": [], "both": ["high_pressure", "low_pressure"]}.get(egr, [egr])
    limits: dict[str, Any] = {key: _limit(form, knowledge, f"limit_{key}", key) for key in knowledge.figures}
    if other := form.choice("other_limit", knowledge.figures, needed=False):
        limits[other] = _limit(form, knowledge, "other_value", other, needed=True)
    for key, choice in knowledge.choices.items():
        limits[key] = form.choice(f"limit_{key}", choice.choices, needed=False)
    form.done()
    data["limits"] = {key: value for key, value in limits.items() if value is not None}
    data = {key: value for key, value in data.items() if value is not None}
    faults = limit_faults(data["limits"], knowledge)
    try:
        EngineCard.model_validate(data)
    except ValidationError as error:
        faults += said(error)
    if faults:
        raise BadInput(
            [
                Fault(
                    fault.path.removeprefix("engine.limits.") if "." in fault.path else fault.path, fault.says
                )
                for fault in faults
            ],
            form.kept,
        )
    return data


def _changes(job: Job, vehicle: dict[str, Any], engine: dict[str, Any]) -> dict[str, list[Any]]:
    old_vehicle, old_engine = cards_of(job)
    pairs = [(key, old_vehicle.get(key), vehicle.get(key)) for key in {**old_vehicle, **vehicle}]
    pairs += [
        ("card" if key == "name" else key, old_engine.get(key), engine.get(key))
        for key in {**old_engine, **engine}
    ]
    return {key: [old, new] for key, old, new in pairs if old != new}


@router.get("/jobs/{job_id}/vehicle")
def vehicle_page(request: Request, job_id: str, workshop: GivenWorkshop, copy: int | None = None) -> Response:
    record = workshop.tapes.job(job_id)
    return job_page(request, record, "arrive", WORK, show(record, workshop, copy))


def _known(form: Form, record: JobRecord, workshop: Workshop) -> NewCards:
    """A vehicle from the list, and its engine card along with it."""
    picked = next((v for v in workshop.garage.vehicles() if str(v.id) == form.raw("vehicle_id")), None)
    if picked is None:
        raise BadInput([Fault("vehicle_id", "choose a vehicle from the list")], form.kept)
    cards = {i: c.model_dump(exclude_unset=True) for i, c in workshop.garage.cards()}
    engine = cards.get(picked.engine_card_id or 0, cards_of(record.job)[1])
    return NewCards(dict(picked.data), engine, picked.id, Seen.read(form.raw("seen")))


def _named(form: Form, record: JobRecord, workshop: Workshop) -> NewCards:
    """The vehicle of this job, as it is typed."""
    given = {
        "name": form.text("name", 120, "give the vehicle a name, as the driver calls it"),
        "plate": form.text("plate", 40),
        "owner": form.text("owner", 120),
        "odometer_km": form.figure("odometer_km", "km", 0, 5_000_000),
    }
    form.done()
    in_miles = given["odometer_km"] is not None and typed(form.raw("odometer_km"), "km")[1] == "mi"
    given["odometer_unit"] = "mi" if in_miles else None
    vehicle, engine = cards_of(record.job)
    vehicle = {k: v for k, v in vehicle.items() if k not in given} | {
        k: v for k, v in given.items() if v is not None
    }
    return NewCards(vehicle, engine, record.vehicle_id, Seen.read(form.raw("seen")), "vehicle")


def _used(form: Form, record: JobRecord, workshop: Workshop) -> NewCards:
    """A known engine card."""
    cards = {str(i): c.model_dump(exclude_unset=True) for i, c in workshop.garage.cards()}
    if form.raw("card_id") not in cards:
        raise BadInput([Fault("card_id", "choose an engine card from the list")], form.kept)
    vehicle = cards_of(record.job)[0]
    engine = cards[form.raw("card_id")]
    return NewCards(vehicle, engine, record.vehicle_id, Seen.read(form.raw("seen")))


def _typed(form: Form, record: JobRecord, workshop: Workshop) -> NewCards:
    """The engine card, as it is typed."""
    vehicle = cards_of(record.job)[0]
    engine = read_card(form, workshop.knowledge)
    return NewCards(vehicle, engine, record.vehicle_id, Seen.read(form.raw("seen")), "card")


FORMS: dict[str, Callable[[Form, JobRecord, Workshop], NewCards]] = {
    "known": _known,
    "new": _named,
    "use_card": _used,
    "card": _typed,
}


@router.post("/jobs/{job_id}/vehicle/{name}")
def vehicle_form(
    request: Request, job_id: str, name: str, form: GivenForm, workshop: GivenWorkshop
) -> Response:
    if name not in FORMS:
        raise NotHere("There is no such form.")
    record = workshop.tapes.job(job_id)
    act = form.act(request.url.path)
    by = writer(request, form) or ""
    try:
        if act is None or workshop.tapes.done(job_id, act) is None:
            cards = replace(FORMS[name](form, record, workshop), by=by)
            changes = _changes(record.job, cards.vehicle, cards.engine)
            raws = [form.entry("card_change", {"changes": changes}, "card")] if changes else []
            workshop.tapes.write(job_id, raws, by or None, act=act, cards=cards)
    except (BadInput, Conflict, Busy) as error:
        kept = _refused(form, name, error)
        record = workshop.tapes.job(job_id)
        return job_page(
            request,
            record,
            "arrive",
            work=WORK,
            view=show(record, workshop),
            kept=kept,
            status=status_of(error),
        )
    return RedirectResponse(f"/jobs/{job_id}/{'vehicle' if name == 'new' else 'arrive'}", 303)


def _refused(form: Form, name: str, error: BadInput | Conflict | Busy) -> Kept:
    """What a refused form says: at each field that somebody else changed, both values."""
    if isinstance(error, BadInput):
        return Kept.of(name, error, form.kept)
    faults = [Fault("", str(error))]
    if isinstance(error, CardsChanged):
        faults += [
            Fault(key, f"stands as {_shown(value)} now; you sent {form.raw(key) or 'nothing'}")
            for key, value in error.now.items()
        ]
    return Kept.of(name, BadInput(faults), form.kept)


def _shown(value: Any) -> str:
    words = value if isinstance(value, list) else [value]
    return " and ".join(spoken(str(word)) for word in words) if value not in (None, "") else "nothing"
