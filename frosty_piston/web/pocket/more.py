"""Pocket: ohm and heat, the test lamp, the cold start, cooling, wiggling, and the money of two options."""

from datetime import timedelta
from typing import Any

from frosty_piston.core.costing import Option, cost_options
from frosty_piston.core.electrical import lamp_light, lamp_limit_ohm, lamp_share
from frosty_piston.core.quantity import hours_said, percent, plain
from frosty_piston.core.starting import DIRECT, StartEngine, StartLimits, start_chance
from frosty_piston.core.waiting import WaitLimits, cold_soaked_after_h, fitted_tau_h, hours_until
from frosty_piston.core.wiring import WiringLimits, judge_wiggle, one_in, wiggle_chance
from frosty_piston.core.words import called
from frosty_piston.knowledge.figures import general
from frosty_piston.store.timestamps import now, stamp
from frosty_piston.web.frame.forms import Form
from frosty_piston.web.frame.page import money

Rows = list[tuple[str, str]]
COOLS = {"closed": 3.0, "open": 2.0, "exhaust": 0.5}
COOLS_SAY = (
    ("closed", "engine, bonnet closed"),
    ("open", "engine, bonnet open"),
    ("exhaust", "exhaust side"),
)
METER_SHARE = 0.008
METER_OHM = 0.03
LIT_FROM = 0.7
KINDS = (("direct", "direct injection"), ("prechamber", "prechamber"))


def _shown(rows: Rows, says: str, **more: Any) -> dict[str, Any]:
    return {"result": rows, "says": says, **more}


def ohm_view(form: Form) -> dict[str, Any]:
    """Two of volts, amperes and ohms give the third, and the heat."""
    volts = form.figure("volts", "V", 0.001, 1000)
    amps = form.figure("amps", "A", 0.001, 3000)
    ohm = form.figure("ohm", "ohm", 0.001, 10_000_000)
    given = [x is not None for x in (volts, amps, ohm)]
    if form.faults or sum(given) < 2:
        return _shown([], "")
    if sum(given) == 3:
        form.wrong("ohm", "two of the three are enough: leave one empty")
        return _shown([], "")
    if volts is None:
        volts = (amps or 0) * (ohm or 0)
    elif amps is None:
        amps = volts / (ohm or 1)
    else:
        ohm = volts / (amps or 1)
    assert volts is not None and amps is not None and ohm is not None
    heat = volts * amps
    unsure = METER_SHARE + METER_OHM / ohm
    figures = f"{_three(volts)} V, {_three(amps)} A, {_three(ohm)} Ω: {_three(heat)} W"
    rows = [
        ("Voltage", f"{_three(volts)} V"),
        ("Current", f"{_three(amps)} A"),
        ("Resistance", f"{_three(ohm)} Ω"),
        ("Heat", f"{_three(heat)} W ± {percent(min(unsure, 9.0))}"),
    ]
    return _shown(rows, figures)


def _three(value: float) -> str:
    """Three figures that count."""
    return plain(float(f"{value:.3g}"))


def lamp_view(form: Form) -> dict[str, Any]:
    """How bright a lamp burns behind a resistance, and how much it does not show."""
    watts = form.figure("watts", "", 0.5, 200)
    ohm = form.figure("ohm", "ohm", 0, 100_000)
    supply = form.figure("supply", "V", 1, 40) or 12.0
    rated = form.figure("rated", "V", 6, 24) or 12.0
    if watts is None or form.faults:
        return _shown([], "")
    hides = lamp_limit_ohm(watts, LIT_FROM, supply, rated)
    rows: Rows = [("It looks bright up to", f"{plain(round(hides, 1))} Ω")]
    says = f"A lamp of {plain(watts)} W at {plain(supply)} V looks bright up to {plain(round(hides, 1))} Ω"
    if ohm is not None:
        share = lamp_share(watts, ohm, supply, rated)
        rows.insert(0, (f"Through {plain(ohm)} Ω", f"{percent(lamp_light(share))} of its light"))
        rows.insert(1, ("It takes", f"{percent(share)} of its power"))
        says += f"; through {plain(ohm)} Ω it gives {percent(lamp_light(share))} of its light"
    return _shown(rows, f"{says}.")


def cold_view(form: Form) -> dict[str, Any]:
    """Whether it will start, by how many plugs work, how cold it is and how fast it cranks."""
    limits = general(StartLimits)
    cylinders = form.whole("cylinders", 1, 16)
    working = form.whole("working", 0, 16)
    ambient = form.figure("ambient", "degC", -50, 50)
    rpm = form.figure("rpm", "rpm", 40, 400)
    ratio = form.figure("ratio", "", 12, 25)
    kind = form.raw("kind") if form.raw("kind") in dict(KINDS) else DIRECT
    if working is not None and cylinders is not None and working > cylinders:
        form.wrong("working", f"at most {cylinders} can work")
    if form.faults or cylinders is None or working is None or ambient is None:
        return _shown([], "", kind=kind)
    engine = StartEngine(cylinders, kind, ratio)
    heat = [1.0] * working + [0.0] * (cylinders - working)

    def chance(at: float) -> float:
        return float(start_chance(at, engine, heat, limits, rpm))

    half = next((t for t in range(-40, 31) if chance(t) >= 0.5), None)
    rows = [
        (f"It starts at {plain(ambient)} °C", percent(chance(ambient))),
        ("Five degrees colder", percent(chance(ambient - 5))),
        ("As likely as not from", f"{half} °C" if half is not None else "not up to 30 °C"),
    ]
    sure = percent(chance(ambient))
    says = f"{working} of {cylinders} plugs, {plain(ambient)} °C: {sure} that it starts (estimate)."
    return _shown(rows, says, kind=kind)


def cooling_view(form: Form) -> dict[str, Any]:
    """When a part can be touched and when the engine is cold; two readings fit this vehicle's own cooling."""
    limits = general(WaitLimits)
    start = form.figure("start", "degC", -40, 900)
    around = form.figure("around", "degC", -50, 60)
    later = form.figure("later", "degC", -40, 900)
    hours = form.figure("hours", "", 0.02, 72)
    cools = form.raw("cools") if form.raw("cools") in COOLS else "closed"
    shown = _shown([], "", cools=cools)
    if form.faults or start is None or around is None:
        return shown
    tau = COOLS[cools]
    own = False
    if later is not None and hours is not None:
        try:
            tau = fitted_tau_h(start, later, hours, around)
            own = True
        except ValueError:
            form.wrong("later", "it falls from the first reading, and stays above the air around")
            return shown
    began = later if own and later is not None else start
    touch = hours_until(limits.touchable_c, began, around, tau)
    cold = cold_soaked_after_h(began, around, limits, tau)
    unsure = 0.1 if own else 0.3
    touch_row = (
        f"Touchable, under {plain(limits.touchable_c)} °C",
        _span(touch, unsure) if touch is not None else "never: the air is hotter",
    )
    rows = [touch_row, (f"Cold, within {plain(limits.soaked_within_c)} °C of the air", _span(cold, unsure))]
    whose = "its own" if own else "general"
    how = f"tau {plain(round(tau, 1))} h, {whose}"
    says = f"From {plain(began)} °C in air of {plain(around)} °C: cold after {hours_said(cold)} ({how})."
    until = now() + timedelta(hours=cold)
    waits = {"wait": "cold_soak", "what": "nobody starts it", "until": stamp(until)}
    return {**shown, "result": rows, "says": says, "entries": [("wait", waits)] if cold > 0 else []}


def _span(hours: float, unsure: float) -> str:
    return (
        "now"
        if hours <= 0
        else f"{hours_said(hours)}, {hours_said(hours * (1 - unsure))} to {hours_said(hours * (1 + unsure))}"
    )


def wiggle_view(form: Form) -> dict[str, Any]:
    """How likely so many dropouts fall into the wiggling by chance."""
    drops = form.whole("drops", 0, 500)
    rest = form.whole("rest", 0, 500)
    seconds = form.figure("seconds", "s", 1, 7200)
    rest_s = form.figure("rest_s", "s", 1, 7200)
    if form.faults or drops is None or seconds is None or rest is None or rest_s is None:
        return _shown([], "")
    chance = wiggle_chance(drops, seconds, rest, rest_s)
    rows = [
        ("By chance alone", one_in(chance)),
        ("While wiggled", f"{plain(round(60 * drops / seconds, 1))} a minute"),
        ("Hands off", f"{plain(round(60 * rest / rest_s, 1))} a minute"),
    ]
    judged = judge_wiggle(drops, seconds, rest, rest_s, general(WiringLimits))
    return _shown([*rows, ("So", called(judged.cls))], judged.because)


def money_view(form: Form) -> dict[str, Any]:
    """Two options by what each really costs, and how sure one must be for the first to pay."""
    names = ("a", "b")
    price = [form.money(f"{n}_price") for n in names]
    cures = [form.figure(f"{n}_cures", "percent", 0, 100) for n in names]
    back = [form.figure(f"{n}_back", "percent", 0, 100) for n in names]
    after = form.money("next")
    if form.faults or None in price or None in cures:
        return _shown([], "")
    options = [
        Option(
            name,
            name,
            int(price[index] or 0),
            0.0,
            cures=float(cures[index] or 0) / 100,
            comes_back=(back[index] or 0) / 100,
            next_step=after or 0,
        )
        for index, name in enumerate(names)
    ]
    first, second = cost_options(options, 0, 0)
    cheaper = "the first" if first.expected <= second.expected else "the second"
    rows = [
        ("The first, all told", money(first.expected)),
        ("The second, all told", money(second.expected)),
        ("Cheaper by", money(abs(first.expected - second.expected))),
    ]
    if first.break_even is not None:
        rows.append(("The first pays above", f"{percent(first.break_even)} sure"))
    says = (
        f"Two options: {money(first.expected)} and {money(second.expected)} all told; {cheaper} is cheaper."
    )
    return _shown(rows, says)
