"""Pocket of the exhaust side: NOx mass and DEF need, filter flow and index, how far a clean drive proves."""

from typing import Any

from frosty_piston.core.aftertreatment import FilterLimits, judge_filter
from frosty_piston.core.filter_flow import ash_kg, exhaust_flow_m3h, fitted
from frosty_piston.core.nox import DEF_G_PER_ML, def_need_ml_h, judge_use, nox_mass_g_s
from frosty_piston.core.proving import clean_though_broken, clean_until, cured_given
from frosty_piston.core.quantity import percent, plain
from frosty_piston.knowledge.figures import general
from frosty_piston.web.frame.forms import Form

MOST_POINTS = 6
SEA_KPA = 101.3
GENERAL_CUT = 0.9


def def_view(form: Form) -> dict[str, Any]:
    """NOx mass by concentration and flow, and the DEF that takes it."""
    ppm = form.figure("ppm", "ppm", 0, 4000)
    flow = form.figure("flow", "", 0.1, 2000)
    cut = form.figure("cut", "percent", 0, 100)
    used = form.figure("used", "l", 0, 500)
    over = form.figure("hours", "", 0.01, 2000)
    shown: dict[str, Any] = {"mass": "", "need": "", "use": None}
    if ppm is None or flow is None or form.faults:
        return shown
    share = GENERAL_CUT if cut is None else cut / 100
    need = def_need_ml_h(ppm, flow, share)
    grams = nox_mass_g_s(ppm, flow)
    shown |= {
        "mass": f"{plain(round(grams * 1000, 1))} mg/s, {plain(round(grams * 3600, 1))} g/h",
        "need": f"{plain(round(need * DEF_G_PER_ML))} g/h, {plain(round(need))} ml/h",
        "cut": percent(share),
    }
    if used is not None and over is not None and need > 0:
        shown["use"] = judge_use(used, need * over / 1000)
    return shown


def filter_view(form: Form) -> dict[str, Any]:
    """Exhaust volume flow, and the drop at 100 m³/h from a few points."""
    limits = general(FilterLimits)
    air = form.figure("air", "", 0.1, 2000)
    fuel = form.figure("fuel", "", 0, 200)
    hot = form.figure("exhaust", "degC", -40, 900)
    drop = form.figure("drop", "kPa", -30, 100)
    shown: dict[str, Any] = {"flow": "", "fit": None, "judgement": None, "ash": ""}
    if air is not None and hot is not None and not form.faults:
        pressure = SEA_KPA + max(drop or 0.0, 0.0)
        shown["flow"] = plain(round(exhaust_flow_m3h(air, fuel or 0.0, hot, pressure)))
    points = _points(form)
    if points and not form.faults:
        shown["judgement"] = judge_filter(points, limits)
        fit = fitted(points)
        if fit is not None:
            index = fit.drop_kpa / limits.clean_kpa
            shown["fit"] = (plain(round(fit.drop_kpa, 2)), plain(round(fit.u_kpa, 2)), plain(round(index, 1)))
    oil = form.figure("oil", "l", 0, 10)
    km = form.figure("km", "km", 0, 2_000_000)
    if oil is not None and km is not None and not form.faults:
        shown["ash"] = plain(round(ash_kg(oil, km) * 1000))
    return shown


def _points(form: Form) -> list[tuple[float, float]]:
    """Points as they are typed: flow and drop, one pair after the other."""
    found: list[tuple[float, float]] = []
    words = form.raw("points").replace(";", " ").split()
    try:
        values = [float(w.replace(",", ".")) for w in words]
    except ValueError:
        form.wrong("points", "type flow and drop in pairs, as 60 1.6 120 3.6 180 6.1")
        return found
    if len(values) % 2 or len(values) > 2 * MOST_POINTS or any(not -1000 < v < 5000 for v in values):
        form.wrong("points", f"flow and drop in pairs, {MOST_POINTS} at most, as 60 1.6 120 3.6 180 6.1")
        return found
    return list(zip(values[::2], values[1::2], strict=True))


def clean_view(form: Form) -> dict[str, Any]:
    """How sure a clean drive makes it, by how it came back before, and how far it takes to 90 and 95 %."""
    words = form.raw("returns").replace(";", " ").split()
    try:
        returns = [float(w.replace(",", ".")) for w in words]
    except ValueError:
        returns = []
        form.wrong("returns", "type after how much it came back each time, as 60 100 80")
    if any(not 0 < r <= 1_000_000 for r in returns) or len(returns) > 40:
        form.wrong("returns", "each lies above 0, forty at most")
    about = form.figure("about", "", 0.01, 1_000_000)
    before = form.figure("before", "percent", 1, 99)
    clean = form.figure("clean", "", 0, 1_000_000)
    shown: dict[str, Any] = {"rows": [], "now": ""}
    if (not returns and about is None) or before is None or form.faults:
        return shown
    odds = before / 100
    for mark in (0.90, 0.95):
        span = clean_until(returns, odds, mark, about)
        shown["rows"].append((percent(mark), "never by this" if span is None else plain(round(span))))
    if clean is not None:
        stays = clean_though_broken(returns, clean, about) or 1.0
        shown["now"] = percent(cured_given(odds, stays))
        shown["stays"] = percent(stays)
    return shown


VIEWS = {
    "def": ("NOx mass and DEF need", def_view),
    "filter": ("Filter flow and index", filter_view),
    "clean": ("Clean drive: how sure", clean_view),
}
