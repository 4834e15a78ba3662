"""Pocket: calculators without a job, their numbers in the address."""

import math
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from frosty_piston.core.holding import Hole, hold_fit, hole, hole_mm
from frosty_piston.core.quantity import Judgement, plain
from frosty_piston.core.vacuum import Ambient, VacuumLimits, ambient_of, judge_pump, pump_limit_kpa
from frosty_piston.core.wires import (
    AT_LEAST_S,
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
from frosty_piston.job.units import convert, typed
from frosty_piston.knowledge.figures import general

from . import pocket_exhaust
from .forms import Form
from .gauge import UNITS
from .page import Kept, render

router = APIRouter()
MOST_ML, GENERAL_ML, GAUGE_SHARE, MATTERS_OHM = 20_000.0, 55.0, 0.25, 2_500.0


def _asked(request: Request) -> Form:
    return Form({key: [value] for key, value in request.query_params.items()})


def _around(form: Form) -> Ambient:
    barometer = form.figure("barometer", "kPa", 45, 110)
    altitude = form.figure("altitude", "m", -500, 6000)
    return ambient_of(barometer, altitude, form.figure("weather", "kPa", 90, 110))


def _kpa(form: Form, name: str, around: Ambient) -> float | None:
    """A vacuum as typed, in kPa below ambient; what is more than the air is refused."""
    text, unit = form.raw(name), form.raw("unit") if form.raw("unit") in UNITS else "kPa"
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
    start, end = _kpa(form, "start", around), _kpa(form, "end", around)
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
    amps, metres = form.figure("current", "A", 0.01, 2000), form.figure("length", "", 0.05, 100)
    section, allowed = form.figure("section", "", 0.1, 200), form.figure("allowed", "V", 0.01, 20)
    shown: dict[str, Any] = {"drop": "", "needed": "", "sold": ""}
    if amps is None or metres is None or form.faults:
        return shown
    if section is not None:
        shown["drop"] = plain(round(wire_drop_v(amps, metres, section), 2))
    if allowed is not None:
        needed = section_needed_mm2(amps, metres, allowed)
        sold = next_section_mm2(needed)
        shown |= {"needed": plain(round(needed, 2)), "sold": plain(sold) if sold else "more than one wire"}
    return shown


def network_view(form: Form) -> dict[str, Any]:
    """The two wires of the network, and what is across them."""
    limits, rows = general(WiringLimits), []
    high, low = form.figure("high", "V", -1, 60), form.figure("low", "V", -1, 60)
    ohm = form.figure("pair", "ohm", 0, 1_000_000)
    for name, pin, value, other in (("High", "high", high, low), ("Low", "low", low, high)):
        if value is not None:
            rows.append((name, judge_network(pin, value, "V", limits, 12.0, other)))
    if ohm is not None:
        rows.append(("Across the pair", judge_network("pair", ohm, "ohm", limits)))
    return {"rows": rows}


def fingers_view(form: Form) -> dict[str, Any]:
    """What fingers on the probes make of a large resistance."""
    text, shown_ohm = form.raw("shown"), None
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


VIEWS = {
    "vacuum": ("Vacuum units and altitude", vacuum_view),
    "leak": ("Leak rate and hole size", leak_view),
    "wire": ("Wire: drop and size", wire_view),
    "network": ("Network pins", network_view),
    "fingers": ("Fingers on the probes", fingers_view),
    "charge": ("Piezo: charge and wait", charge_view),
    **pocket_exhaust.VIEWS,
}


@router.get("/pocket")
def pocket(request: Request) -> Response:
    return RedirectResponse("/pocket/vacuum", 307)


@router.get("/pocket/vacuum")
@router.get("/pocket/leak")
@router.get("/pocket/wire")
@router.get("/pocket/network")
@router.get("/pocket/fingers")
@router.get("/pocket/charge")
@router.get("/pocket/def")
@router.get("/pocket/filter")
@router.get("/pocket/clean")
def calculator(request: Request) -> Response:
    """One calculator; what cannot be is answered at its field."""
    name, form = request.url.path.rsplit("/", 1)[-1], _asked(request)
    title, view = VIEWS[name]
    shown = view(form)
    kept = Kept("pocket", {k: v[0] for k, v in form.values.items()}, {f.path: f.says for f in form.faults})
    return render(
        request,
        f"pocket/{name}.html",
        422 if form.faults else 200,
        title=title,
        calculators=[(key, heading) for key, (heading, _) in VIEWS.items()],
        here_is=name,
        kept=kept,
        units=UNITS,
        unit=form.raw("unit") if form.raw("unit") in UNITS else "kPa",
        **shown,
    )
