"""The vacuum engine stop: emergency lever first, then brakes, actuator, hoses and key; stop time before and
after; what helps until the repair is done."""

from datetime import datetime
from typing import Annotated, Any

from frosty_piston.core.quantity import plain
from frosty_piston.core.running import RunningLimits
from frosty_piston.job.entries import Reading
from frosty_piston.job.weighing.stopping import MEASURES, measures_on, stop_bar, way_written
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.frame.forms import Fields, Form, line, moment, one_of

from .bench import Bench
from .recorded import Drawn
from .sections import section_view

SCALE_PX = 560.0
SCALE_S = 8.0
WORST_FIRST = ("failed", "implausible", "marginal", "unclear", "sound")
PLACES = {
    "pump": (("brake_pedal_feel", None), ("vacuum_at_pump", None)),
    "line": (("vacuum_look", "stop_line"), ("vacuum_hold", "stop_line")),
    "key": (("key_switch", None), ("vacuum_hold", "key_switch")),
    "actuator": (("stop_hand_pump", None), ("vacuum_hold", "stop_actuator")),
    "lever": (("stop_lever", None),),
}


def _state(record: JobRecord, place: str) -> str:
    """The worst verdict at a place of the drawing; empty where nothing was tested."""
    found = [
        verdict.judgement.verdict
        for verdict in record.assessed.now
        for test, node in PLACES[place]
        if verdict.test == test and (node is None or verdict.where.get("node") == node)
    ]
    return min(found, key=WORST_FIRST.index, default="")


def _times(record: JobRecord, limits: RunningLimits) -> list[dict[str, Any]]:
    """The last stop time before any repair, and the last one since."""
    times = [x for x in record.job.of(Reading) if x.data.test == "stop_time" and x.data.is_figure]
    repaired = bool(record.job.repairs)
    split = [
        ("before", [x for x in times if record.job.time_of[x.id] == 0 or not repaired]),
        ("after", [x for x in times if repaired and record.job.time_of[x.id] > 0]),
    ]
    return [
        {
            "name": name if repaired else "now",
            "s": plain(seconds := record.assessed.readings.figure(rows[-1], "s")),
            "x": round(60 + min(seconds, SCALE_S) / SCALE_S * SCALE_PX, 1),
            "slow": seconds >= limits.stops_s,
        }
        for name, rows in split
        if rows
    ]


def draws(record: JobRecord, workshop: Workshop) -> Drawn:
    limits = record.assessed.readings.limits(RunningLimits)
    return {
        "states": {place: _state(record, place) for place in PLACES},
        "times": _times(record, limits),
        "marks": [
            {"x": round(60 + s / SCALE_S * SCALE_PX, 1), "s": plain(s)}
            for s in (limits.stops_s, limits.hangs_s)
        ],
    }


def shows(record: JobRecord, workshop: Workshop, asked: Form) -> dict[str, Any]:
    shown = section_view(record, workshop, "stop", draws)
    for n, section in enumerate(shown["sections"], 1):
        section["number"] = n
        section["shut"] = stop_bar(record.job, workshop.knowledge, [section["test"]])
    return {
        **shown,
        "way": way_written(record.job),
        "measures": [(key, m.title) for key, m in MEASURES.items()],
        "measures_on": measures_on(record.job),
    }


class MeasureForm(Fields):
    measure: Annotated[str | None, one_of(*MEASURES)]
    at: Annotated[
        str | None, line(120, "say where the driver finds it, as: under the dash, left of the column")
    ]
    come_back: Annotated[datetime | None, moment("say on which day it comes back for the lasting repair")]


def stopgap(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """A temporary measure, with what the driver is told."""
    fields = form.read(MeasureForm, record, workshop)
    form.done()
    assert fields.measure is not None and fields.come_back is not None
    measure = MEASURES[fields.measure]
    return [
        form.entry(
            "action",
            {
                "action": "adjusted",
                "what": f"{measure.title}: {fields.at}",
                "where": {"node": "stop_actuator"},
                "temporary": True,
                "come_back": fields.come_back.astimezone().date().isoformat(),
                "note": measure.driver,
            },
        )
    ]


def taken_off(form: Form, record: JobRecord, workshop: Workshop) -> list[dict[str, Any]]:
    """A temporary measure was taken off again."""
    what = form.choice("what", [x.data.what for x in measures_on(record.job)])
    form.done()
    return [form.entry("action", {"action": "removed", "what": what, "where": {"node": "stop_actuator"}})]


FORMS = {"stopgap": stopgap, "stopgap_off": taken_off}
BENCH = Bench(
    "measure/_stop.html",
    shows,
    ("measure/_air_drawing.html",),
    sections=True,
)
