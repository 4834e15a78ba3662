"""The particulate filter: drop against flow with its fit and its clean reference, soot and ash apart, this
vehicle's earlier indices, oil, cleaning, and the burn that is watched."""

from datetime import datetime, timedelta
from typing import Annotated, Any

from frosty_piston.core.aftertreatment import COMMON_FLOW_M3H, FilterLimits
from frosty_piston.core.filter_flow import Fit, ash_kg, diluted_l, drop_at, fitted, told_apart
from frosty_piston.core.limits import CARD
from frosty_piston.core.quantity import plain
from frosty_piston.job.assessment import Assessed
from frosty_piston.job.entries import Action, Outcome, Reading, ResetStep, SootCause
from frosty_piston.job.repair import burn as burning
from frosty_piston.job.units import convert
from frosty_piston.store.timestamps import now, stamp, utc
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.drawing.chart_picture import steps
from frosty_piston.web.drawing.time_line import time_line
from frosty_piston.web.frame.forms import Fields, Form, figure, line, one_of

from .bench import Bench
from .recorded import Drawn
from .sections import DRAWING, section_view

DROP = "dpf_pressure"
STATE = "dpf_state"
LEFT = 60.0
TOP = 20.0
WIDE = 380.0
HIGH = 170.0
CLEANED = ("dpf_ash", "dpf_soot", "dpf_cracked")
MOST_EARLIER = 12
OIL_TESTS = 1.0
OIL = (
    ("oil_use", "Oil use for 1,000 km", "l", 0, 10),
    ("filter_km", "Filter has run", "km", 0, 2_000_000),
    ("oil_change_km", "Since the oil change", "km", 0, 200_000),
    ("failed_burns", "Failed burns since then", "count", 0, 1000),
    ("fuel_level", "Fuel level", "percent", 0, 100),
)


def zero_of(assessed: Assessed) -> float:
    """What the sensor shows with the key on and the engine off, kPa."""
    read = [
        reading
        for reading in assessed.job.of(Reading)
        if reading.data.test == "key_on_pressures"
        and reading.data.where.channel == "differential"
        and reading.data.is_figure
    ]
    return convert(float(read[-1].data.value), read[-1].data.unit, "kPa") if read else 0.0


def points_at(assessed: Assessed) -> list[list[tuple[float, float]]]:
    """The points of flow and drop of each time of the job: before and after each thing done."""
    found = []
    for entries in assessed.job.times:
        rows = [x.data.figures or {} for x in entries if isinstance(x.data, Outcome) and x.data.test == DROP]
        found.append([(float(f["q_m3h"]), float(f["dp_kpa"])) for f in rows if {"q_m3h", "dp_kpa"} <= set(f)])
    return found


def last_fit(assessed: Assessed) -> Fit | None:
    fits = [fitted(points, zero_of(assessed)) for points in points_at(assessed) if points]
    return next((f for f in reversed(fits) if f is not None), None)


def _clean_fit(assessed: Assessed) -> Fit | None:
    """The fit after this vehicle's filter was cleaned or changed on a job; None when it was not."""
    acts = [n for n, x in enumerate(assessed.job.acts) if x.data.repair in CLEANED]
    if not acts:
        return None
    points = [p for part in points_at(assessed)[acts[-1] + 1 :] for p in part]
    return fitted(points, zero_of(assessed))


def earlier(record: JobRecord, workshop: Workshop) -> list[tuple[datetime, Assessed]]:
    """The vehicle's earlier visits, oldest first."""
    rows = workshop.yard.visits(record.vehicle_id, record.job.id)[:MOST_EARLIER]
    opened = record.job.opened_at or now()
    visits = [
        (utc(r.opened_at), workshop.tapes.job(r.id).assessed) for r in rows if utc(r.opened_at) < utc(opened)
    ]
    return sorted(visits, key=lambda v: v[0])


def clean_reference(record: JobRecord, workshop: Workshop) -> tuple[float, str]:
    """The clean drop at the common flow, kPa, and whose it is: the card's, this vehicle's own, or general."""
    limits = record.assessed.readings.limits(FilterLimits)
    if limits.clean_kpa.source == CARD:
        return float(limits.clean_kpa), "card"
    for assessed in [record.assessed, *(a for _, a in reversed(earlier(record, workshop)))]:
        own = _clean_fit(assessed)
        if own is not None:
            return own.drop_kpa, "this vehicle's own, cleaned"
    return float(limits.clean_kpa), "general"


def draws(record: JobRecord, workshop: Workshop) -> Drawn:
    """Drop over flow: the points of before and after, the fits with the band at 100 m³/h, the clean one."""
    zero = zero_of(record.assessed)
    parts = points_at(record.assessed)
    shown = [p for p in parts if p]
    clean, whose = clean_reference(record, workshop)
    limits = record.assessed.readings.limits(FilterLimits)
    most_q = max([q for part in shown for q, _ in part] + [200.0]) * 1.1
    most_dp = max([d - zero for part in shown for _, d in part] + [clean * float(limits.blocked_times)]) * 1.1

    def at(q: float, dp: float) -> tuple[float, float]:
        return round(LEFT + q / most_q * WIDE, 1), round(
            TOP + HIGH - min(max(dp, 0.0) / most_dp, 1.0) * HIGH, 1
        )

    def curve(fit: Fit) -> str:
        flows = [most_q * n / 48 for n in range(49)]
        inside = [(q, dp) for q in flows if (dp := drop_at(fit, q)) <= most_dp]
        return "M" + "L".join(f"{x} {y}" for x, y in (at(q, dp) for q, dp in inside)) if inside else ""

    fits = [(n, fit) for n, part in enumerate(shown) if (fit := fitted(part, zero))]
    last = fits[-1][1] if fits else None
    index = round(last.drop_kpa / clean, 1) if last and clean > 0 else None
    band = None
    if last:
        x, low = at(COMMON_FLOW_M3H, last.drop_kpa - last.u_kpa)
        band = {"x": x, "y1": low, "y2": at(COMMON_FLOW_M3H, last.drop_kpa + last.u_kpa)[1]}
    return {
        "dots": [(*at(q, d - zero), n == len(shown) - 1) for n, part in enumerate(shown) for q, d in part],
        "curves": [(curve(fit), n == len(shown) - 1) for n, fit in fits],
        "clean": curve(Fit(clean / COMMON_FLOW_M3H * 0.5, clean / COMMON_FLOW_M3H**2 * 0.5, clean, 0.0)),
        "clean_says": f"clean {plain(round(clean, 2))} kPa, {whose}",
        "band": band,
        "x": [(plain(t), at(t, 0)[0]) for t in steps(0, most_q, 6)],
        "y": [(plain(t), at(0, t)[1]) for t in steps(0, most_dp, 5)],
        "index": f"{index:.1f}" if index is not None else "?",
        "says": (
            f"{plain(round(last.drop_kpa, 2))} ± {plain(round(last.u_kpa, 2))} kPa at 100 m³/h"
            if last
            else "two flows at least"
        ),
        "zero": plain(round(zero, 2)),
        "tube": _tube(record.assessed),
    }


def _tube(assessed: Assessed) -> dict[str, Any]:
    """The filter itself: how much of it soot and ash fill, of what stops a burn and of the ash limit."""
    limits = assessed.readings.limits(FilterLimits)
    soot = burning.soot_read(assessed)
    ash = _ash_read(assessed)
    return {
        "soot": plain(soot[-1][1]) if soot else "?",
        "soot_high": round(min(soot[-1][1] / limits.soot_most_g, 1.0) * 120, 1) if soot else 0,
        "ash": plain(ash) if ash is not None else "?",
        "ash_high": round(min(ash / limits.ash_most_g, 1.0) * 120, 1) if ash else 0,
        "marks": [
            (plain(m), round(120 - m / limits.soot_most_g * 120, 1))
            for m in (limits.soot_road_g, limits.soot_stand_g, limits.soot_care_g)
        ],
    }


def _history(record: JobRecord, workshop: Workshop) -> dict[str, Any]:
    """This vehicle's earlier indices as a line over the days."""
    clean, _ = clean_reference(record, workshop)
    rows = []
    for opened, assessed in [*earlier(record, workshop), (record.job.opened_at or now(), record.assessed)]:
        fit = last_fit(assessed)
        if fit is not None and clean > 0:
            rows.append((utc(opened), fit.drop_kpa / clean))
    return time_line(rows)


def _apart(record: JobRecord, workshop: Workshop) -> str:
    """Soot, ash and hose told apart by all that was read."""
    assessed = record.assessed
    soot = burning.soot_read(record.assessed)
    ash = _ash_read(assessed)
    creeps = any(v.test == "dp_channels" and v.judgement.verdict == "failed" for v in assessed.now)
    limits = assessed.readings.limits(FilterLimits)
    return told_apart(
        last_fit(assessed),
        soot[-1][1] if soot else None,
        ash,
        limits=limits,
        channels="creeps" if creeps else "",
        clean_kpa=clean_reference(record, workshop)[0],
    )[1]


def _ash_read(assessed: Assessed) -> float | None:
    """The ash mass that was read last, g."""
    read = [
        convert(float(reading.data.value), reading.data.unit, "g")
        for reading in assessed.job.of(Reading)
        if reading.data.test == STATE and reading.data.where.channel == "ash_mass" and reading.data.is_figure
    ]
    return read[-1] if read else None


def _oil(record: JobRecord) -> list[str]:
    """What the oil says: ash in the filter, fuel in the oil."""
    job = record.job
    says = []
    use = job.condition("oil_use")
    run = job.condition("filter_km")
    if use and run:
        grams = ash_kg(float(use.data.value), float(run.data.value)) * 1000
        limit = record.assessed.readings.limits(FilterLimits).ash_most_g
        over = f"over the limit of {plain(limit)} g" if grams > limit else f"of {plain(limit)} g allowed"
        says.append(f"About {plain(round(grams))} g of ash by its oil use, {over} (general).")
    failed = job.condition("failed_burns")
    if failed:
        low, high = diluted_l(int(failed.data.value))
        change = " Level too high: change the oil before anything is burnt." if low > OIL_TESTS else ""
        says.append(f"{plain(low)} to {plain(high)} l of fuel in the oil by failed burns (general).{change}")
    return says


def shows(record: JobRecord, workshop: Workshop, asked: Form) -> dict[str, Any]:
    view = section_view(record, workshop, "dpf", draws)
    found = burning.burn_of(record.assessed)
    return {
        **view,
        "extra": "measure/extra/dpf.html",
        "apart": _apart(record, workshop),
        "history": _history(record, workshop),
        "oil": [
            (
                name,
                title,
                "" if unit == "count" else unit,
                plain(x.data.value) if (x := record.job.condition(name)) else "",
            )
            for name, title, unit, _, _ in OIL
        ],
        "oil_says": _oil(record),
        "cleaning_form": "measure/extra/_cleaned.html",
        "brought": _brought(record),
        "causes": _causes(record, workshop),
        "burn": found,
        "burn_seen": burning.SEEN,
        "burn_watched": (plain(burning.WATCHED_LOW_C), plain(burning.WATCHED_HIGH_C), plain(burning.STOPS_C)),
        "burn_cautions": ["regeneration_fire", "exhaust_gas", "hot_parts"],
    }


def _brought(record: JobRecord) -> str:
    """What cleaning brought in the drop, and whether the counter was told."""
    zero = zero_of(record.assessed)
    said = []
    fits = [f for part in points_at(record.assessed) if part and (f := fitted(part, zero))]
    if len(fits) > 1:
        said.append(f"Drop at 100 m³/h: {plain(round(fits[0].drop_kpa, 1))} kPa before,")
        said.append(f"{plain(round(fits[-1].drop_kpa, 1))} after.")
    if any(x.data.repair in CLEANED for x in record.job.of(Action)):
        told = any(x.data.step in ("filter_counter", "dpf_new") for x in record.job.of(ResetStep))
        said.append("The counter was told." if told else "The counter was not told yet.")
    return " ".join(said)


def _causes(record: JobRecord, workshop: Workshop) -> list[dict[str, str]]:
    """The causes of soot, each with what was said of it."""
    said = {x.data.cause: "found" if x.data.found else "not_found" for x in record.job.of(SootCause)}
    return [
        {"id": key, "title": cause.title, "look": cause.look, "said": said.get(key, "")}
        for key, cause in workshop.knowledge.soot.causes.items()
    ]


def burn_why(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """Why it loaded, asked before anything is burnt."""
    had = {c["id"]: c["said"] for c in _causes(record, workshop)}
    entries = []
    for key in workshop.knowledge.soot.causes:
        said = form.choice(key, ["found", "not_found"], needed=False)
        if said and said != had[key]:
            entries.append(form.entry("soot_cause", {"cause": key, "found": said == "found"}, key))
    if not entries and not form.faults:
        form.wrong("why", "say of at least one whether it was found")
    form.done()
    return entries


def oil(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """Oil use, distances, failed burns, fuel: what the estimates and the burn stand on."""
    entries = []
    for name, _, unit, low, high in OIL:
        value = form.figure(name, "" if unit == "count" else unit, low, high)
        old = record.job.condition(name)
        if value is not None and (old is None or float(old.data.value) != value):
            entries.append(form.entry("condition", {"name": name, "value": value, "unit": unit}, name))
    form.done()
    return entries


class BurnForm(Fields):
    minutes: Annotated[float | None, figure("", 5, 90, needed=True)]


def burn(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """Start the burn: every condition held or ticked, the caution read; then it is watched until it ends."""
    fields = form.read(BurnForm, record, workshop)
    found = burning.burn_of(record.assessed)
    if found.barred:
        form.wrong("minutes", "; ".join(f"{b.what}: {b.says}" for b in found.barred))
    if found.running:
        form.wrong("minutes", "a burn runs already")
    if unseen := [s for s in burning.SEEN if s not in form.all("seen")]:
        form.wrong("seen", f"look and tick it: {unseen[0]}")
    ticked = {x.data.caution for x in record.job.live if x.kind == "tick"}
    if "regeneration_fire" not in ticked and "regeneration_fire" not in form.all("tick"):
        form.wrong("tick", "read and tick the caution first: a burn can set fire to what is round it")
    form.done()
    until = (form.pressed_at or now()) + timedelta(minutes=fields.minutes or 0)
    ticks = (
        []
        if "regeneration_fire" in ticked
        else [form.entry("tick", {"caution": "regeneration_fire"}, "tick")]
    )
    data = {"wait": "burn", "what": "Burn of the filter, watched", "until": stamp(until), "step": "burn"}
    return [*ticks, form.entry("wait", data)]


class BurnWatchForm(Fields):
    inlet_c: Annotated[float | None, figure("degC", 0, 1200, needed=True)]


def burn_watch(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """The temperature before the filter, while it burns."""
    fields = form.read(BurnWatchForm, record, workshop)
    if burning.burn_of(record.assessed).running is None:
        form.wrong("inlet_c", "no burn runs")
    form.done()
    data = {
        "test": "exhaust_temps",
        "where": {"channel": "exhaust_1"},
        "value": fields.inlet_c,
        "unit": "degC",
    }
    return [form.entry("reading", data)]


class BurnEndForm(Fields):
    ended: Annotated[str | None, one_of("finished", "stopped")]
    soot_g: Annotated[float | None, figure("g", 0, 300)]
    seen: Annotated[str | None, line(300)]


def burn_end(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """How it ended, and the soot after it. A burn that was finished is the repair; what is read after it
    belongs to the proof."""
    fields = form.read(BurnEndForm, record, workshop)
    found = burning.burn_of(record.assessed)
    if found.running is None:
        form.wrong("ended", "no burn runs")
    if fields.ended == "finished" and fields.soot_g is None and not form.faults:
        form.wrong("soot_g", "read the soot mass after it")
    form.done()
    assert found.running is not None
    seen = ": ".join(filter(None, ("Finished" if fields.ended == "finished" else "Stopped", fields.seen)))
    data = {
        "wait": "burn",
        "what": found.running.data.what,
        "state": "ended",
        "ends": found.running.id,
        "seen": seen,
    }
    entries = [form.entry("wait", data, "end")]
    if fields.ended == "finished":
        act = {"action": "adjusted", "what": "particulate filter, burnt clean", "repair": "dpf_soot"}
        entries.append(form.entry("action", act, "act"))
    if fields.soot_g is not None:
        where = {"channel": "soot_mass"}
        entries.append(
            form.entry(
                "reading", {"test": STATE, "where": where, "value": fields.soot_g, "unit": "g"}, "soot"
            )
        )
    return entries


class CleanedForm(Fields):
    way: Annotated[str | None, line(60, "choose how it was cleaned")]
    minutes: Annotated[float | None, figure("", 0.5, 6000, needed=True)]
    soot_before: Annotated[float | None, figure("g", 0, 300)]
    soot_after: Annotated[float | None, figure("g", 0, 300)]


def cleaned(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """The filter cleaned: soot before it speaks of the vehicle as it came, soot after it of the proof."""
    fields = form.read(CleanedForm, record, workshop)
    ways = {key for key, w in workshop.knowledge.cleaning.items() if "filter" in w.parts}
    if fields.way and fields.way not in ways:
        form.wrong("way", f"choose one of: {', '.join(sorted(ways))}")
    if (fields.soot_before is None) != (fields.soot_after is None):
        missing = "soot_after" if fields.soot_after is None else "soot_before"
        form.wrong(missing, "before and after stand together; leave both empty when nothing was read")
    form.done()
    cleaning: dict[str, Any] = {"way": fields.way, "minutes": fields.minutes}
    if fields.soot_before is not None:
        cleaning |= {
            "measured": "soot mass",
            "unit": "g",
            "before": fields.soot_before,
            "after": fields.soot_after,
        }
    entries = []
    where = {"channel": "soot_mass"}
    last = burning.soot_read(record.assessed)
    if fields.soot_before is not None and not (last and last[-1][1] == fields.soot_before):
        data = {"test": STATE, "where": where, "value": fields.soot_before, "unit": "g"}
        entries.append(form.entry("reading", data, "before"))
    act = {
        "action": "cleaned",
        "what": "particulate filter",
        "where": {"node": "filter"},
        "repair": "dpf_ash",
        "cleaning": cleaning,
    }
    entries.append(form.entry("action", act, "act"))
    if fields.soot_after is not None:
        data = {"test": STATE, "where": where, "value": fields.soot_after, "unit": "g"}
        entries.append(form.entry("reading", data, "after"))
    return entries


FORMS = {
    "burn_why": burn_why,
    "filter_oil": oil,
    "filter_cleaned": cleaned,
    "burn": burn,
    "burn_watch": burn_watch,
    "burn_end": burn_end,
}
BENCH = Bench("measure/_air.html", shows, (DRAWING,), sections=True)
