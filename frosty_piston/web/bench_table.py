"""Every bench by its name: its title, when it fits, what it shows, and what a written value sends back."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Any
from urllib.parse import urlencode

from frosty_piston.store.workshop import JobRecord, Workshop

from .air_benches import AIR_BENCHES, air_view, on_card
from .benches import METHODS, POINTS, battery_view, glow_view, relay_view
from .forms import Form

Fits = Callable[[JobRecord, Workshop], bool]
Shows = Callable[[JobRecord, Workshop, Form], dict[str, Any]]


@dataclass(frozen=True)
class Bench:
    """`drawings`: the templates that a written value draws anew. `keeps`: what its address carries, and the
    form field that brings it along. `sections`: whether each test on it is a form of its own."""

    title: str
    says: str
    template: str
    fits: Fits
    shows: Shows
    drawings: tuple[str, ...]
    keeps: tuple[tuple[str, str], ...] = ()
    sections: bool = False

    def asked(self, form: Form) -> Form:
        """What a form on this bench brings along for showing it again."""
        return Form({name: [form.raw(field)] for name, field in self.keeps})

    def query(self, form: Form) -> str:
        given = {name: form.raw(field) for name, field in self.keeps}
        return f"?{urlencode(given)}" if given else ""

    def view(self, record: JobRecord, workshop: Workshop, asked: Form) -> dict[str, Any]:
        """What its template prints; `carried`: the hidden fields that every cell sends along."""
        shown = self.shows(record, workshop, asked)
        carried = {field: shown[name] for name, field in self.keeps}
        return {**shown, "drawings": self.drawings, "carried": carried}


def _has_plugs(record: JobRecord, workshop: Workshop) -> bool:
    return record.job.engine.glow != "none"


def _has_relay(record: JobRecord, workshop: Workshop) -> bool:
    return _has_plugs(record, workshop) and record.job.engine.glow_control != "none"


def _glow(record: JobRecord, workshop: Workshop, asked: Form) -> dict[str, Any]:
    part_c = asked.figure("part_c", "degC", -60, 150)
    method = asked.raw("method") if asked.raw("method") in METHODS else FIRST_METHOD
    point = asked.raw("point") if asked.raw("point") in POINTS else FIRST_POINT
    shown = glow_view(record, workshop.knowledge, method, point, part_c)
    shown |= {"kept_meter": workshop.setting("meter"), "kept_lamp": workshop.setting("lamp")}
    if asked.faults:
        shown |= {"part_c": asked.raw("part_c"), "part_c_fault": asked.faults[0].says}
    return shown


def _battery(record: JobRecord, workshop: Workshop, asked: Form) -> dict[str, Any]:
    shown = battery_view(record, workshop.knowledge, asked.figure("soaked_h", "", 0, 1000))
    if asked.faults:
        shown |= {"asked_soaked_h": asked.raw("soaked_h"), "soaked_fault": asked.faults[0].says}
    return shown


def _air(key: str, record: JobRecord, workshop: Workshop, asked: Form) -> dict[str, Any]:
    return air_view(record, workshop, key)


def _air_fits(key: str, record: JobRecord, workshop: Workshop) -> bool:
    return on_card(record, workshop, key)


FIRST_METHOD, FIRST_POINT = "ohm", "harness_connector"
MARGIN, AIR_DRAWING = "measure/_margin.html", "measure/_air_drawing.html"
BENCHES: dict[str, Bench] = {
    "glow": Bench(
        "Glow plugs",
        "Ohm, lamp, clamp, heat",
        "measure/_glow.html",
        _has_plugs,
        _glow,
        ("measure/_plugs.html", MARGIN),
        (("method", "method"), ("point", "at")),
    ),
    "relay": Bench(
        "Glow relay",
        "Four points under load, on-time",
        "measure/_relay.html",
        _has_relay,
        lambda record, workshop, asked: relay_view(record, workshop.knowledge),
        ("measure/_relay_drawing.html",),
    ),
    "battery": Bench(
        "Battery and cranking",
        "Rest, crank, speed, drop, cold soak",
        "measure/_battery.html",
        lambda record, workshop: True,
        _battery,
        ("measure/_battery_drawing.html", MARGIN),
    ),
    **{
        key: Bench(
            air.title,
            air.says,
            "measure/_air.html",
            partial(_air_fits, key),
            partial(_air, key),
            (AIR_DRAWING,),
            sections=True,
        )
        for key, air in AIR_BENCHES.items()
    },
}
