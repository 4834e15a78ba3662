"""NOx before and after the catalyst: which sensor is silent, agreement without dosing, efficiency with it,
and which of sensor, dosing, fluid and catalyst is left standing."""

from typing import Annotated, Any

from frosty_piston.core.aftertreatment import NoxLimits
from frosty_piston.core.nox import left_standing
from frosty_piston.core.quantity import plain
from frosty_piston.job.entries import Outcome
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.frame.forms import Fields, Form, figure

from .bench import Bench
from .recorded import Drawn
from .sections import DRAWING, section_view

TEST = "nox_compare"
MOST_PPM = 4000.0
# What the decision reads of other tests: the key of what was seen, and what each class is to it.
READS: dict[str, tuple[str, dict[str, str]]] = {
    "def_quantity": ("dose", {"right": "right", "short": "short", "over": "bad", "bad_spray": "bad"}),
    "def_pressure": ("pressure", {"holds": "holds", "low": "falls", "falls_back": "falls"}),
    "def_concentration": ("fluid", {"in_range": "good", "off": "off", "wrong": "wrong"}),
    "def_contamination": (
        "oily",
        {"clean": "clean", "coloured": "dirty", "smells": "dirty", "oily": "dirty"},
    ),
}
CUTS = ("good", "weak", "poor")
AGREES = ("agree", "disagree")


def seen_of(record: JobRecord) -> dict[str, str]:
    """What the decision table knows by now."""
    seen: dict[str, str] = {}
    for verdict in record.assessed.now:
        cls = verdict.judgement.cls
        if verdict.test == TEST:
            if cls == "silent":
                key = "silent"
            elif cls in CUTS:
                key = "cut"
            elif cls in AGREES:
                key = "agree"
            else:
                key = ""
            if key:
                seen[key] = cls
        elif verdict.test in READS:
            key, classes = READS[verdict.test]
            if cls in classes:
                seen[key] = classes[cls]
    if record.assessed.now and seen.get("silent") and _later_pair(record):
        seen.pop("silent")
    return seen


def _later_pair(record: JobRecord) -> bool:
    """Whether the last word on the pair had both figures."""
    last = next((x for x in reversed(list(record.job.of(Outcome))) if x.data.test == TEST), None)
    return last is not None and {"up_ppm", "down_ppm"} <= set(last.data.figures or {})


def draws(record: JobRecord, workshop: Workshop) -> Drawn:
    """Exhaust line with both sensors, their last figures as bars, and the four that may be it."""
    pairs: dict[bool, tuple[float | None, float | None]] = {}
    for x in record.job.of(Outcome):
        figures = x.data.figures or {}
        if x.data.test == TEST:
            pairs[bool(figures.get("dosing", True))] = (
                float(figures["up_ppm"]) if "up_ppm" in figures else None,
                float(figures["down_ppm"]) if "down_ppm" in figures else None,
            )
    top = max([v for pair in pairs.values() for v in pair if v is not None], default=400.0) or 400.0
    bars = []
    for n, dosing in enumerate((False, True)):
        for m, value in enumerate(pairs.get(dosing, (None, None))):
            height = round((value or 0.0) / top * 84, 1)
            bars.append(
                {
                    "x": 52 + 96 * n + 40 * m,
                    "y": round(122 - height, 1),
                    "height": height,
                    "says": "silent" if value is None and dosing in pairs else plain(round(value or 0)),
                    "known": value is not None,
                    "shown": dosing in pairs,
                    "after": m == 1,
                }
            )
    seen = seen_of(record)
    mark = {"cleared": "sound", "condemned": "failed", "standing": "marginal", "open": ""}
    return {
        "bars": bars,
        "four": [
            {
                "title": sensor.place.capitalize(),
                "state": sensor.state,
                "mark": mark[sensor.state],
                "because": sensor.because,
            }
            for sensor in left_standing(seen)
        ],
    }


def shows(record: JobRecord, workshop: Workshop, asked: Form) -> dict[str, Any]:
    limits = record.assessed.readings.limits(NoxLimits)
    view = section_view(record, workshop, "nox", draws)
    seen = seen_of(record)
    return {
        **view,
        "before": "measure/extra/nox.html",
        "sections": [{**s, "own_form": True} for s in view["sections"]],
        "warm_c": plain(limits.warm_c),
        "settle_min": plain(round(limits.settle_s / 60, 1)),
        "silent": seen.get("silent", ""),
        "then_here": _next(seen),
    }


def _next(seen: dict[str, str]) -> tuple[str, str]:
    """What would tell more now: words and page."""
    if seen.get("silent"):
        return "Supply, ground and network at the sensor's plug", "pins?node=nox_sensor"
    if "agree" not in seen:
        return "Dosing off, then both sensors once the second no longer rises", "nox#pair"
    if seen["agree"] == "disagree":
        return "Its plug pin by pin before the sensor is condemned", "pins?node=nox_sensor"
    if "fluid" not in seen:
        return "Concentration of the DEF", "dosing#step-def_concentration"
    if "dose" not in seen:
        return "Dose into a cup", "dosing#step-def_quantity"
    return "", ""


class PairForm(Fields):
    up_ppm: Annotated[float | None, figure("ppm", 0, MOST_PPM)]
    down_ppm: Annotated[float | None, figure("ppm", 0, MOST_PPM)]
    exhaust_c: Annotated[float | None, figure("degC", -40, 900)]
    off_min: Annotated[float | None, figure("", 0, 240)]


def pair(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """Both sensors at once; one that gives no figure is left empty. How hot it is, and how long dosing has
    been off, decide what the pair is worth."""
    fields = form.read(PairForm, record, workshop)
    dosing = form.choice("dosing", ["yes", "no"])
    if (
        fields.up_ppm is None
        and fields.down_ppm is None
        and form.raw("both_silent") != "yes"
        and not form.faults
    ):
        form.wrong("up_ppm", "type what each shows in ppm; tick it when both are silent")
    if dosing == "no" and fields.off_min is None and not form.faults:
        form.wrong("off_min", "say for how many minutes dosing has been off")
    form.done()
    figures = {"up_ppm": fields.up_ppm, "down_ppm": fields.down_ppm, "dosing": dosing == "yes"}
    conditions: dict[str, float] = {}
    if fields.exhaust_c is not None:
        conditions["part_c"] = fields.exhaust_c
    if dosing == "no" and fields.off_min is not None:
        conditions["after_s"] = fields.off_min * 60
    data: dict[str, Any] = {"test": TEST, "figures": {k: v for k, v in figures.items() if v is not None}}
    return [form.entry("outcome", {**data, "conditions": conditions} if conditions else data)]


FORMS = {"nox_pair": pair}
BENCH = Bench("measure/_air.html", shows, (DRAWING,), sections=True)
