"""Fuel: clear line, supply, filter, rail while cranking and running, valve and returns; who steals the
pressure."""

from typing import Any

from frosty_piston.core.fuel import who_steals
from frosty_piston.core.quantity import plain
from frosty_piston.job.entries import Outcome, Reading
from frosty_piston.job.judging.result import Result
from frosty_piston.job.units import convert
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.frame.forms import Form

from .bench import Bench
from .recorded import Drawn, last_read
from .sections import DRAWING, section_view

PLACES = {
    "prime": "fuel_prime_air",
    "supply": "fuel_low_pressure",
    "filter": "fuel_filter_drop",
    "rail": "rail_pressure_crank",
    "running": "rail_pressure_hold",
    "valve": "rail_valve_return",
}
RETURNS = "injector_leakoff"
BAD = ("failed", "marginal")


def _latest(record: JobRecord, test: str) -> Result | None:
    found = [v for v in record.assessed.now if v.test == test]
    return found[-1] if found else None


def _figures(record: JobRecord, test: str, *names: str) -> list[str]:
    """The last figures of a test, as they stand on the drawing."""
    for x in reversed(list(record.job.of(Outcome))):
        if x.data.test == test and x.data.figures:
            return [plain(float(x.data.figures[n])) if n in x.data.figures else "" for n in names]
    return [""] * len(names)


def _supply_bar(record: JobRecord) -> str:
    for entry in reversed(list(record.job.of(Reading, Outcome))):
        if entry.data.test != PLACES["supply"]:
            continue
        if entry.kind == "outcome" and entry.data.figures and "bar" in entry.data.figures:
            return plain(float(entry.data.figures["bar"]))
        if entry.kind == "reading" and entry.data.is_figure:
            return plain(round(convert(float(entry.data.value), entry.data.unit, "bar"), 2))
    return ""


def draws(record: JobRecord, workshop: Workshop) -> Drawn:
    """The fuel's way with what was measured along it, and who steals the pressure."""
    verdicts = {place: v for place, test in PLACES.items() if (v := _latest(record, test))}
    returns = [v for v in record.assessed.now if v.test == RETURNS]
    returning = [int(str(v.where["cylinder"])) for v in returns if v.judgement.verdict in BAD]
    found = {place: v.judgement.cls for place, v in verdicts.items()}
    if returns:
        found["returns"] = "failed" if returning else "sound"
    told = who_steals(found, sorted(returning))
    before, after = _figures(record, PLACES["filter"], "before_bar", "after_bar")
    rail = last_read(record, PLACES["rail"], "bar")
    return {
        "states": {place: v.judgement.verdict for place, v in verdicts.items()}
        | ({"returns": "failed" if returning else "sound"} if returns else {}),
        "supply": _supply_bar(record),
        "before": before,
        "after": after,
        "rail": plain(rail) if rail is not None else "",
        "running": verdicts["running"].judgement.cls if "running" in verdicts else "",
        "prime": found.get("prime", ""),
        "valve": found.get("valve", ""),
        "returning": returning,
        "has_rail": record.job.engine.injection in ("rail_solenoid", "rail_piezo", None),
        "told": told,
    }


def shows(record: JobRecord, workshop: Workshop, asked: Form) -> dict[str, Any]:
    return section_view(record, workshop, "fuel", draws)


BENCH = Bench("measure/_air.html", shows, (DRAWING,), sections=True)
