"""Pocket: calculators without a job, their numbers in the address."""

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from frosty_piston.core.errors import NotHere
from frosty_piston.core.holding import Hole, hold_fit, hole, hole_mm
from frosty_piston.core.quantity import Judgement, plain
from frosty_piston.core.vacuum import Ambient, VacuumLimits, ambient_of, judge_pump, pump_limit_kpa
from frosty_piston.core.wires import (
    AT_LEAST_S,
    COLDEST_C,
    HOTTEST_C,
    PIEZO_FARAD,
    PIEZO_V,
    SKIN_OHM,
    TOUCHABLE_V,
    discharge_s,
    next_section_mm2,
    section_needed_mm2,
    wire_drop_v,
    without_fingers_ohm,
)
from frosty_piston.core.wiring import WiringLimits, judge_network
from frosty_piston.core.words import inside
from frosty_piston.job.units import convert, typed
from frosty_piston.knowledge.figures import general
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.frame.dependencies import GivenForm, GivenWorkshop
from frosty_piston.web.frame.forms import OF_THE_PRESS, Form
from frosty_piston.web.frame.page import Kept, render, writer
from frosty_piston.web.job.gauge import UNITS

from . import exhaust, more

router = APIRouter()
MOST_ML = 20_000.0
GENERAL_ML = 55.0
GAUGE_SHARE = 0.25
MATTERS_OHM = 2_500.0


def _asked(request: Request) -> Form:
    return Form({key: [value] for key, value in request.query_params.items()})


def _around(form: Form) -> Ambient:
    barometer = form.figure("barometer", "kPa", 45, 110)
    altitude = form.figure("altitude", "m", -500, 6000)
    return ambient_of(barometer, altitude, form.figure("weather", "kPa", 90, 110))


def _kpa(form: Form, name: str, around: Ambient) -> float | None:
    """A vacuum as typed, in kPa below ambient; what is more than the air is refused."""
    text = form.raw(name)
    unit = form.raw("unit") if form.raw("unit") in UNITS else "kPa"
    if not text:
        return None
    try:
        value, got = typed(text, unit)
    except ValueError as error:
        form.wrong(name, str(error))
        return None
    kpa = convert(abs(float(value)), got, "kPa")
    if kpa > around.kpa:
        form.wrong(
            name, f"that is {plain(round(kpa, 1))} kPa, and the air is {plain(round(around.kpa, 1))} kPa"
        )
        return None
    return kpa


def in_units(kpa: float) -> list[tuple[str, str]]:
    """A vacuum in every unit of a gauge.

    >>> in_units(70.0)
    [('kPa', '70'), ('mbar', '700'), ('inHg', '20.7'), ('mmHg', '525')]
    """
    places = {"kPa": 1, "inHg": 1}
    return [(u, plain(round(convert(kpa, "kPa", u), places.get(u, 0)))) for u in UNITS]


def vacuum_view(form: Form) -> dict[str, Any]:
    """A reading at the pump in every unit, and what it is worth where it was read."""
    limits = general(VacuumLimits)
    around = _around(form)
    kpa = _kpa(form, "value", around)
    wanted = limits.reaches_share * pump_limit_kpa(around.kpa, limits)
    judged: Judgement | None = judge_pump(kpa, None, limits, around) if kpa is not None else None
    sea = 101.3
    return {
        "around": around,
        "air": plain(round(around.kpa, 1)),
        "wanted": in_units(wanted),
        "shown": in_units(kpa) if kpa is not None else [],
        "at_sea": in_units(kpa / around.kpa * sea) if kpa is not None and around.known else [],
        "judgement": judged,
    }


def leak_view(form: Form) -> dict[str, Any]:
    """A hold test as a time constant, a conductance and the width of a round hole."""
    around = _around(form)
    start = _kpa(form, "start", around)
    end = _kpa(form, "end", around)
    seconds = form.figure("seconds", "s", 1, 7200)
    volume = form.figure("volume", "ml", 1, MOST_ML) or GENERAL_ML
    shown: dict[str, Any] = {"around": around, "volume": plain(volume), "usual": not form.raw("volume")}
    if start is None or end is None or seconds is None or form.faults:
        return shown
    if end >= start:
        return {**shown, "holds": True}
    held = hold_fit([(0.0, start), (seconds, end)], 1.0, around)
    found = hole(held, volume, GAUGE_SHARE * volume if shown["usual"] else 0.0)
    return {
        **shown,
        "tau": plain(round(held.tau_s)),
        "u": plain(round(held.u_s)),
        "lost": plain(round((start - end) / seconds * 60, 1)),
        "c": _pm(found),
        "mm": plain(round(hole_mm(found.ml_s), 2)),
    }


def _pm(found: Hole) -> str:
    places = 2 if found.ml_s < 1 else 1
    return f"{found.ml_s:.{places}f} ± {found.u_ml_s:.{places}f}"


def wire_view(form: Form) -> dict[str, Any]:
    """What a wire loses, and the section that would lose no more than is allowed."""
    amps = form.figure("current", "A", 0.01, 2000)
    metres = form.figure("length", "", 0.05, 100)
    section = form.figure("section", "", 0.1, 200)
    allowed = form.figure("allowed", "V", 0.01, 20)
    given_c = form.figure("wire_c", "degC", COLDEST_C, HOTTEST_C)
    wire_c = 20.0 if given_c is None else given_c
    shown: dict[str, Any] = {"drop": "", "needed": "", "sold": "", "warm": plain(wire_c)}
    if amps is None or metres is None or form.faults:
        return shown
    if section is not None:
        shown["drop"] = plain(round(wire_drop_v(amps, metres, section, wire_c), 2))
    if allowed is not None:
        needed = section_needed_mm2(amps, metres, allowed, wire_c)
        sold = next_section_mm2(needed)
        shown |= {"needed": plain(round(needed, 2)), "sold": plain(sold) if sold else "more than one wire"}
    return shown


def network_view(form: Form) -> dict[str, Any]:
    """The two wires of the network, and what is across them."""
    limits = general(WiringLimits)
    rows = []
    high = form.figure("high", "V", -1, 60)
    low = form.figure("low", "V", -1, 60)
    ohm = form.figure("pair", "ohm", 0, 1_000_000)
    for name, pin, value, other in (("High", "high", high, low), ("Low", "low", low, high)):
        if value is not None:
            rows.append((name, judge_network(pin, value, "V", limits=limits, system_v=12.0, other_v=other)))
    if ohm is not None:
        rows.append(("Across the pair", judge_network("pair", ohm, "ohm", limits)))
    return {"rows": rows}


def fingers_view(form: Form) -> dict[str, Any]:
    """What fingers on the probes make of a large resistance."""
    text = form.raw("shown")
    shown_ohm = None
    if text:
        try:
            value, unit = typed(text, "ohm")
            shown_ohm = convert(float(value), unit, "ohm")
        except ValueError as error:
            form.wrong("shown", str(error))
    rows = []
    for skin in SKIN_OHM if shown_ohm and shown_ohm > 0 else ():
        true = without_fingers_ohm(float(shown_ohm or 0), skin)
        rows.append((plain(skin / 1000), plain(round(true / 1000, 1)) if true is not None else ""))
    return {"rows": rows, "matters": bool(shown_ohm and shown_ohm > MATTERS_OHM)}


def charge_view(form: Form) -> dict[str, Any]:
    """How long a piezo injector keeps its charge, by its own resistance."""
    text = form.raw("resistance")
    farad = form.figure("capacitance", "", 0.01, 1000)
    volts = form.figure("volts", "V", 1, 400)
    ohm: float | None = None
    if text.strip().upper() == "OL":
        ohm = math.inf
    elif text:
        try:
            value, unit = typed(text, "kohm")
            ohm = convert(float(value), unit, "ohm")
        except ValueError as error:
            form.wrong("resistance", str(error))
    shown: dict[str, Any] = {"seconds": "", "never": ohm == math.inf, "wait": plain(AT_LEAST_S / 60)}
    if ohm is None or form.faults or ohm == math.inf:
        return shown
    lasts = discharge_s(
        ohm, PIEZO_FARAD if farad is None else farad * 1e-6, PIEZO_V if volts is None else volts, TOUCHABLE_V
    )
    return shown | {"seconds": plain(round(lasts, 1)), "wait": plain(math.ceil(max(lasts, AT_LEAST_S) / 60))}


Says = Callable[[dict[str, Any], Form], str]


@dataclass(frozen=True)
class Calculator:
    """One calculator: its name, what it is for, its view, its formula, where that comes from, and how sure
    the answer is. `fields`: those of the ones that need no page of their own; `says`: the answer in a
    sentence, as it is written on a job."""

    title: str
    use: str
    view: Callable[[Form], dict[str, Any]]
    formula: str
    source: str
    unsure: str
    fields: tuple[tuple[Any, ...], ...] = ()
    says: Says | None = None


def _vacuum_says(s: dict[str, Any], form: Form) -> str:
    return f"Vacuum at the pump {s['shown'][0][1]} kPa: {s['judgement'].because}" if s["shown"] else ""


def _leak_says(s: dict[str, Any], form: Form) -> str:
    return (
        f"Leak: {s['c']} ml/s, as a round hole of {s['mm']} mm ({s['lost']} kPa a minute)."
        if "c" in s
        else ""
    )


def _wire_says(answer: dict[str, Any], form: Form) -> str:
    drop = f"{form.raw('section')} mm² loses {answer['drop']} V" if answer["drop"] else ""
    need = f"needed {answer['needed']} mm², take {answer['sold']}" if answer["needed"] else ""
    what = "; ".join(filter(None, (drop, need)))
    return (
        f"Wire of {form.raw('length')} m at {form.raw('current')} A, {answer['warm']} °C: {what}."
        if what
        else ""
    )


def _network_says(s: dict[str, Any], form: Form) -> str:
    return " ".join(f"{name}: {j.because}" for name, j in s["rows"])


def _fingers_says(s: dict[str, Any], form: Form) -> str:
    real = " to ".join(r for _, r in s["rows"] if r)
    return f"Read with fingers on the probes {form.raw('shown')}: really {real} kΩ." if real else ""


def _charge_says(s: dict[str, Any], form: Form) -> str:
    return (
        f"Piezo injector: under 60 V after {s['seconds']} s; waited {s['wait']} min." if s["seconds"] else ""
    )


def _def_says(s: dict[str, Any], form: Form) -> str:
    return f"NOx {s['mass']}; DEF for {s['cut']}: {s['need']}." if s["mass"] else ""


def _filter_says(s: dict[str, Any], form: Form) -> str:
    flow = f"Exhaust {s['flow']} m³/h." if s["flow"] else ""
    fit = (
        f"Drop at 100 m³/h {s['fit'][0]} ± {s['fit'][1]} kPa, {s['fit'][2]} times clean." if s["fit"] else ""
    )
    return " ".join(filter(None, (flow, fit)))


def _clean_says(s: dict[str, Any], form: Form) -> str:
    sure = f"sure now {s['now']}" if s["now"] else ""
    spans = [f"{mark} from {span}" for mark, span in s["rows"]]
    return f"Clean drive: {', '.join(filter(None, (sure, *spans)))}." if spans else ""


CALCULATORS: dict[str, Calculator] = {
    "ohm": Calculator(
        "Ohm and heat",
        "Two of volts, amperes and ohms: the third, and the heat.",
        more.ohm_view,
        formula="U = I·R, P = U·I",
        source="Ohm's law",
        unsure="as good as the meter: 0.8 % and three digits of 0.01 Ω, taken off the leads",
        fields=(
            ("volts", "Voltage", "V", ""),
            ("amps", "Current", "A", ""),
            ("ohm", "Resistance", "Ω", "leave one empty"),
        ),
    ),
    "lamp": Calculator(
        "Test lamp",
        "What a lamp shows, and what it hides.",
        more.lamp_view,
        formula="I = I₀·(V/V₀)^0.55, power (V/V₀)^1.55, light (V/V₀)^3.4, V + I·R = U",
        source="the usual exponents of tungsten filaments near their rated point",
        unsure="about a fifth; a lamp that looks bright still hides an ohm or more",
        fields=(
            ("watts", "The lamp", "W", "2 for a probe, 21 for a bulb"),
            ("ohm", "Behind it", "Ω", ""),
            ("supply", "Supply", "V", "12 general"),
            ("rated", "Rated", "V", "12 general"),
        ),
    ),
    "wire": Calculator(
        "Voltage drop and wire size",
        "What a wire loses, and the section that loses no more than it may.",
        wire_view,
        formula="U = 2·I·ρ·l/A, ρ = 0.0175 Ω·mm²/m·(1 + 0.00393·(T - 20 °C))",
        source="copper, IEC 60028",
        unsure="a tenth; every joint loses up to 0.05 V more",
        says=_wire_says,
    ),
    "fingers": Calculator(
        "Fingers on the probes",
        "What hands make of a large resistance.",
        fingers_view,
        formula="1/R = 1/R shown - 1/R skin",
        source="skin from hand to hand 50 kΩ to 1 MΩ",
        unsure="skin differs tenfold: the two rows are its ends",
        says=_fingers_says,
    ),
    "charge": Calculator(
        "Piezo: charge and wait",
        "How long a piezo injector keeps its charge.",
        charge_view,
        formula="t = R·C·ln(U₀/60 V)",
        source="the discharge of a capacitor; 6 µF and 160 V general",
        unsure="a third by the capacitance; never shorter than the wait that is said",
        says=_charge_says,
    ),
    "network": Calculator(
        "Network pins",
        "The two wires, and what is across them.",
        network_view,
        formula="two terminators of 120 Ω side by side: 60 Ω",
        source="ISO 11898",
        unsure="half an ohm and a tenth of a volt",
        says=_network_says,
    ),
    "wiggle": Calculator(
        "Wiggle: by chance or not",
        "Dropouts while wiggled against dropouts with hands off.",
        more.wiggle_view,
        formula="k of n dropouts, binomial with t/(t + t₀)",
        source="exact test of two Poisson rates",
        unsure="exact for dropouts that come one by one; bursts count once",
        fields=(
            ("drops", "Dropouts wiggled", "", ""),
            ("seconds", "in", "s", ""),
            ("rest", "Hands off", "", ""),
            ("rest_s", "in", "s", ""),
        ),
    ),
    "vacuum": Calculator(
        "Vacuum units and altitude",
        "A gauge in every unit, and what it is worth up here.",
        vacuum_view,
        formula="p = 101.3 kPa·(1 - 2.256·10⁻⁵·h)^5.256",
        source="ICAO standard atmosphere",
        unsure="weather moves the air by 3 kPa: type the barometer where it matters",
        says=_vacuum_says,
    ),
    "leak": Calculator(
        "Leak rate and hole size",
        "A hold test as a conductance and as a round hole.",
        leak_view,
        formula="p = p₀·exp(-t·C/V)",
        source="molecular and viscous flow taken together, near ambient",
        unsure="the volume: a general one is good to a quarter",
        says=_leak_says,
    ),
    "def": Calculator(
        "NOx mass and DEF need",
        "What it makes, and what it takes.",
        exhaust.VIEWS["def"][1],
        formula="half a mol of urea for a mol of NOx, 32.5 % in DEF",
        source="ISO 22241 and the reaction itself",
        unsure="a tenth by flow and sensor; two tenths before it is warm",
        says=_def_says,
    ),
    "filter": Calculator(
        "Filter flow and index",
        "The drop at 100 m³/h, and how many times clean it is.",
        exhaust.VIEWS["filter"][1],
        formula="Δp = a·Q + b·Q², at 100 m³/h",
        source="flow through a loaded filter; general clean figure",
        unsure="as the ± says; one point alone is good to a third",
        says=_filter_says,
    ),
    "cold": Calculator(
        "Cold-start margin",
        "Whether it will start tonight, with the plugs that work.",
        more.cold_view,
        formula="T₂ = T₁·ε^(n-1), fires near 596 K direct, 650 K prechamber",
        source="polytropic compression, calibrated as docs/models.md says",
        unsure="an estimate: five degrees either way",
        fields=(
            ("cylinders", "Cylinders", "", ""),
            ("working", "Plugs that work", "", ""),
            ("ambient", "Outside", "°C", ""),
            ("rpm", "Cranks at", "rpm", "200 general"),
            ("ratio", "Compression", "", "of its kind"),
            ("kind", "Combustion", more.KINDS, ""),
        ),
    ),
    "cooling": Calculator(
        "Cooling time",
        "When a hand can stay on it, and when it is cold.",
        more.cooling_view,
        formula="T = Tₐ + (T₀ - Tₐ)·exp(-t/τ)",
        source="Newton's law of cooling; τ 3 h closed, 2 h open, 0.5 h exhaust",
        unsure="a third with the general τ, a tenth with two readings of this vehicle",
        fields=(
            ("start", "It has", "°C", ""),
            ("around", "Air", "°C", ""),
            ("cools", "It is", more.COOLS_SAY, ""),
            ("later", "Later it had", "°C", "fits its own"),
            ("hours", "after", "h", ""),
        ),
    ),
    "clean": Calculator(
        "Clean drive: how sure",
        "How far it has to stay clean.",
        exhaust.VIEWS["clean"][1],
        formula="P = q/(q + (1 - q)·(b/(b + D))^a)",
        source="Gamma prior over the rate of returns, docs/models.md",
        unsure="few returns: few returns tell little, and the curve says so",
        says=_clean_says,
    ),
    "money": Calculator(
        "Money of two options",
        "What each really costs, and how sure one must be.",
        more.money_view,
        formula="price + P(not cured)·next + P(back)·price",
        source="expected cost",
        unsure="as good as the odds that are typed",
        fields=(
            ("a_price", "The first costs", "kr", ""),
            ("a_cures", "cures", "%", ""),
            ("a_back", "comes back", "%", "within a year"),
            ("b_price", "The second costs", "kr", ""),
            ("b_cures", "cures", "%", ""),
            ("b_back", "comes back", "%", "within a year"),
            ("next", "What follows when it did not cure", "kr", ""),
        ),
    ),
}


def _job(workshop: Workshop, job_id: str) -> JobRecord | None:
    """The job that the answer may be written on, by the address."""
    try:
        return workshop.tapes.job(job_id) if job_id else None
    except NotHere:
        return None


@router.get("/pocket")
def pocket(request: Request, workshop: GivenWorkshop, job: str = "") -> Response:
    """All calculators on one shelf."""
    return render(
        request,
        "pocket/shelf.html",
        title="Pocket",
        here_is="",
        calculators=[(key, c.title) for key, c in CALCULATORS.items()],
        rows=list(CALCULATORS.items()),
        job=_job(workshop, job),
    )


def _worked_out(name: str, form: Form) -> dict[str, Any]:
    calculator = CALCULATORS[name]
    shown = calculator.view(form)
    if calculator.says is not None:
        shown["says"] = "" if form.faults else calculator.says(shown, form)
    return {"entries": [], **shown}


@router.get("/pocket/{name}")
def calculator(request: Request, name: str, workshop: GivenWorkshop) -> Response:
    """One calculator; what cannot be is answered at its field."""
    form = _asked(request)
    return _page(request, name, form, workshop, _job(workshop, form.raw("job")))


def _page(
    request: Request, name: str, form: Form, workshop: Workshop, job: JobRecord | None, refused: str = ""
) -> Response:
    if name not in CALCULATORS:
        raise NotHere("There is no such calculator.")
    about = CALCULATORS[name]
    shown = _worked_out(name, form)
    kept = Kept("pocket", {k: v[0] for k, v in form.values.items()}, {f.path: f.says for f in form.faults})
    return render(
        request,
        "pocket/plain.html" if about.fields else f"pocket/{name}.html",
        422 if form.faults or refused else 200,
        title=about.title,
        about=about,
        calculators=[(key, c.title) for key, c in CALCULATORS.items()],
        here_is=name,
        kept=kept,
        units=UNITS,
        unit=form.raw("unit") if form.raw("unit") in UNITS else "kPa",
        job=job,
        given=[(k, v[0]) for k, v in form.values.items() if v[0] and k not in (*OF_THE_PRESS, "job")],
        refused=refused,
        **shown,
    )


@router.post("/jobs/{job_id}/pocket/{name}")
def use(request: Request, job_id: str, name: str, form: GivenForm, workshop: GivenWorkshop) -> Response:
    """Use the answer on a job: the entry it is, else a note with its figures."""
    if name not in CALCULATORS:
        raise NotHere("There is no such calculator.")
    record = workshop.tapes.job(job_id)
    act = form.act(request.url.path)
    shown = _worked_out(name, form)
    if not shown.get("says"):
        return _page(request, name, form, workshop, record, "type what it is worked out from first")
    note = ("note", {"text": f"Pocket, {inside(CALCULATORS[name].title)}: {shown['says']}"})
    raws = [
        form.entry(kind, data, str(index) if index else "")
        for index, (kind, data) in enumerate([note, *shown["entries"]])
    ]
    if act is None or workshop.tapes.done(job_id, act) is None:
        workshop.tapes.write(job_id, raws, writer(request, form), act=act)
    return RedirectResponse(f"/jobs/{job_id}#tape", 303)
