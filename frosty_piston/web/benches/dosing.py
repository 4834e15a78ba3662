"""DEF on one page: cap and crystals, concentration, what else is in it, pressure, dose, injector, where it
came from, and the cold."""

from collections import Counter
from datetime import timedelta
from typing import Annotated, Any

from frosty_piston.core.quantity import plain
from frosty_piston.job.entries import Action, Outcome, Reading, TopUp, Wait
from frosty_piston.job.repair.waits import open_waits
from frosty_piston.job.units import convert
from frosty_piston.store.timestamps import now, stamp
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.frame.forms import Fields, Form, figure, line

from .bench import Bench
from .recorded import Drawn
from .sections import DRAWING, section_view

FREEZES_C = -11.0
THAW_MIN = (20, 60)
MOST_VISITS = 60
TESTS = {
    "cap": "def_look",
    "tank": "def_concentration",
    "glass": "def_contamination",
    "pump": "def_pressure",
    "dose": "def_quantity",
    "injector": "def_injector_look",
}
BAD_FLUID = ("def_concentration", "def_contamination")


def frozen(record: JobRecord) -> bool:
    """Whether the fluid may be ice: colder than it freezes at, and no thaw has been waited for."""
    ambient = record.job.condition("ambient")
    if ambient is None or convert(float(ambient.data.value), ambient.data.unit, "degC") > FREEZES_C:
        return False
    at = record.job.position
    running = {x.id for x in open_waits(record.job)}
    thawed = [
        wait
        for wait in record.job.of(Wait)
        if wait.data.wait == "thaw" and wait.data.state == "started" and at[wait.id] > at[ambient.id]
    ]
    return not any(x.id not in running or (x.data.until and x.data.until <= now()) for x in thawed)


def draws(record: JobRecord, workshop: Workshop) -> Drawn:
    """The fluid's way from cap to pipe, with what was found along it."""
    latest = {place: [v for v in record.assessed.now if v.test == test] for place, test in TESTS.items()}
    worst = ("failed", "implausible", "marginal", "unclear", "sound")
    states = {
        place: min((v.judgement.verdict for v in found), key=worst.index)
        for place, found in latest.items()
        if found
    }
    seen = [v.judgement.cls for v in latest["cap"]]
    strength = next(
        (x.data.value for x in reversed(list(record.job.of(Reading))) if x.data.test == TESTS["tank"]), None
    )
    level = record.job.condition("def_level")
    return {
        "states": states,
        "crystals": "crystals" in seen or any(v.judgement.verdict == "failed" for v in latest["injector"]),
        "seal": "seal_missing" not in seen,
        "strength": f"{plain(float(strength))} %" if isinstance(strength, float) else "?",
        "bar": _figure(record, TESTS["pump"], "bar", " bar"),
        "dose": _figure(record, TESTS["dose"], "measured_ml", " ml"),
        "level": float(level.data.value) if level else 60.0,
        "ice": frozen(record),
    }


def _figure(record: JobRecord, test: str, name: str, unit: str) -> str:
    for x in reversed(list(record.job.of(Outcome))):
        if x.data.test == test and x.data.figures and name in x.data.figures:
            return f"{plain(float(x.data.figures[name]))}{unit}"
    return "?"


def sources(workshop: Workshop) -> list[dict[str, Any]]:
    """The sources of top-ups over the workshop's newest jobs: how many fillings, and on how many jobs the
    fluid failed."""
    fillings = Counter[str]()
    jobs = dict[str, set[str]]()
    bad = dict[str, set[str]]()
    rows = [*workshop.yard.jobs(limit=MOST_VISITS), *workshop.yard.jobs(closed=True, limit=MOST_VISITS)]
    for row in rows:
        record = workshop.tapes.job(row.id)
        tops = list(record.job.of(TopUp))
        if not tops:
            continue
        failed = any(
            v.test in BAD_FLUID and v.judgement.verdict == "failed"
            for verdicts in record.assessed.judged
            for v in verdicts
        )
        for x in tops:
            name = x.data.source.strip()
            key = next((s for s in fillings if s.casefold() == name.casefold()), name)
            fillings[key] += 1
            jobs.setdefault(key, set()).add(row.id)
            if failed:
                bad.setdefault(key, set()).add(row.id)
    return [
        {"source": source, "fillings": n, "jobs": len(jobs[source]), "bad": len(bad.get(source, ()))}
        for source, n in sorted(fillings.items(), key=lambda x: (-len(bad.get(x[0], ())), x[0].casefold()))
    ]


def shows(record: JobRecord, workshop: Workshop, asked: Form) -> dict[str, Any]:
    ends = {x.id for x in open_waits(record.job)}
    thaw = next(
        (x for x in reversed(list(record.job.of(Wait))) if x.data.wait == "thaw" and x.id in ends), None
    )
    refitted = any(x.data.repair == "def_injector" for x in record.job.of(Action))
    return {
        **section_view(record, workshop, "dosing", draws),
        "extra": "measure/extra/dosing.html",
        "topups": list(record.job.of(TopUp)),
        "sources": sources(workshop),
        "ice": frozen(record),
        "thaw": thaw,
        "thaw_min": THAW_MIN,
        "ambient": record.job.condition("ambient"),
        "refitted": refitted,
    }


class TopUpForm(Fields):
    litres: Annotated[float | None, figure("l", 0.1, 2000, needed=True)]
    source: Annotated[str | None, line(120, "say where it came from: the can, the pump, the shop")]
    at_km: Annotated[float | None, figure("km", 0, 5_000_000)]
    dated: Annotated[str | None, line(40)]


def top_up(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """A top-up: how much, where from, at which distance, and the date on the can."""
    fields = form.read(TopUpForm, record, workshop)
    form.done()
    source = f"{fields.source}, dated {fields.dated}" if fields.dated else fields.source
    return [form.entry("top_up", {"litres": fields.litres, "source": source, "at_km": fields.at_km})]


class StrengthForm(Fields):
    shown: Annotated[float | None, figure("percent", 0, 100, needed=True)]
    fluid_c: Annotated[float | None, figure("degC", -15, 60)]


def strength(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """The concentration by a refractometer that does not compensate: with the temperature of the fluid."""
    fields = form.read(StrengthForm, record, workshop)
    form.done()
    conditions = {} if fields.fluid_c is None else {"conditions": {"part_c": fields.fluid_c}}
    data = {"test": TESTS["tank"], "value": fields.shown, "unit": "percent", **conditions}
    return [form.entry("reading", data)]


class ThawForm(Fields):
    minutes: Annotated[float | None, figure("", 5, 240, needed=True)]


def thaw(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """Wait until tank and line have thawed: nothing is said of dosing before."""
    fields = form.read(ThawForm, record, workshop)
    form.done()
    until = (form.pressed_at or now()) + timedelta(minutes=fields.minutes or 0)
    return [
        form.entry("wait", {"wait": "thaw", "what": "DEF tank and line, heaters on", "until": stamp(until)})
    ]


FORMS = {"top_up": top_up, "strength": strength, "thaw": thaw}
BENCH = Bench("measure/_air.html", shows, (DRAWING,), sections=True)
