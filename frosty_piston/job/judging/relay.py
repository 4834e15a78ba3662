"""The glow relay by its points, how long it glows, and whether the engine stood cold."""

from collections.abc import Callable

from frosty_piston.core import relay
from frosty_piston.core.glow import GENERAL_KIND, GlowLimits
from frosty_piston.job.entries import Entry
from frosty_piston.job.units import convert

from .readings import Readings
from .result import Result
from .sets import result


def points_of(readings: Readings, latest: list[Entry]) -> relay.RelayPoints:
    """What was read at the relay, with the current and the time that other tests found."""
    volts = {x.data.where.point: readings.value(x, "V") for x in latest if x.kind == "reading"}
    clicks = [x.data.outcome for x in latest if x.kind == "outcome"]
    loaded = any(
        x.data.conditions and x.data.conditions.loaded for x in latest if x.data.where.point == "output"
    )
    currents = readings.verdicts("glow_current")
    total = [v.judgement.value for v in currents if v.where.get("point") == "total"]
    stays = [x for x in readings.latest("glow_on_time") if x.data.where.point == "output"]
    return relay.RelayPoints(
        **{name: volts.get(name) for name in relay.POINTS},
        click=clicks[-1] == "click" if clicks else None,
        loaded=loaded,
        current_a=total[-1] if total else None,
        output_on_s=readings.value(stays[-1], "s") if stays else None,
        held_v=_held_v(readings),
    )


def _held_v(readings: Readings) -> float | None:
    """Where a module holds its plugs: those rated for less than the battery are pulsed."""
    if readings.job.engine.glow_control != "electronic_module" or readings.glow_kind == GENERAL_KIND:
        return None
    return float(readings.limits(GlowLimits).kind(readings.glow_kind).working_v)


def glow_relay(readings: Readings, latest: list[Entry]) -> list[Result]:
    points = points_of(readings, latest)
    meter = readings.instruments.voltmeter(latest[-1])
    limits = readings.limits(relay.RelayLimits)
    whole = relay.judge_relay(points, limits, readings.job.engine.glow_control or "relay_module", meter)
    at_points = [
        result(entry, relay.judge_point(points, entry.data.where.point, limits, meter))
        for entry in latest
        if entry.kind == "reading" and entry.data.where.point in relay.POINTS
    ]
    clicks = [
        Result("glow_relay", dict[str, object](), relay.judge_click(x.data.outcome == "click"), (x.id,))
        for x in latest
        if x.kind == "outcome"
    ]
    unread = sum(getattr(points, name) is None for name in relay.POINTS) / len(relay.POINTS)
    left = unread if whole.verdict == "unclear" else 0.0
    entries = tuple(x.id for x in latest)
    return [*at_points, *clicks, Result("glow_relay", {"point": "relay"}, whole, entries, left=left)]


def on_time(readings: Readings, latest: list[Entry]) -> list[Result]:
    coolant = readings.job.condition("coolant")
    at_c = convert(coolant.data.value, coolant.data.unit, "degC") if coolant else readings.ambient_c()
    kind = readings.glow_kind
    limits = readings.limits(relay.RelayLimits)
    return [
        result(
            entry,
            relay.judge_on_time(
                readings.figure(entry, "s"), kind, at_c, entry.data.where.point or "lamp", limits
            ),
        )
        for entry in latest
    ]


def soak_temps(readings: Readings, latest: list[Entry]) -> list[Result]:
    conditions = [x.data.conditions for x in latest if x.data.conditions]
    hours = [c.soaked_h for c in conditions if c.soaked_h is not None]
    temps = {x.data.where.channel or "unnamed": readings.figure(x, "degC") for x in latest}
    judged = relay.judge_soak(temps, hours[-1] if hours else None, readings.limits(relay.RelayLimits))
    return [result(x, judged[x.data.where.channel or "unnamed"]) for x in latest]


JUDGES: dict[str, Callable[[Readings, list[Entry]], list[Result]]] = {
    "glow_relay": glow_relay,
    "glow_on_time": on_time,
    "cold_soak_temps": soak_temps,
}
# What each judge can answer beside the words of every judge.
ANSWERS: dict[str, tuple[str, ...]] = {
    "glow_relay": (
        "welded",
        "glow_relay_coil",
        "glow_relay_contacts",
        "glow_control_missing",
        "glow_module_failed",
        "key_supply_lost",
        "glow_feed_lost",
        "carries",
        "click",
        "no_click",
        "dead",
        "drops",
        "low",
        "never_low",
        "present",
        "reference",
        "unloaded",
    ),
    "glow_on_time": ("long_time", "short_time", "absent"),
    "cold_soak_temps": ("odd_one_out",),
}
