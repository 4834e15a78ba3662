"""Battery and cranking."""

from collections.abc import Callable

from frosty_piston.core import battery

from .. import entries as e
from ..readings import Readings
from ..verdict import Verdict
from .sets import verdict


def at_rest(readings: Readings, latest: list[e.Entry]) -> list[Verdict]:
    system_v, ambient_c = readings.battery_v, readings.ambient_c()
    limits = readings.limits(battery.BatteryLimits)
    return [
        verdict(
            x,
            battery.judge_rest(
                readings.value(x, "V"), limits, system_v, ambient_c, readings.instruments.voltmeter(x)
            ),
        )
        for x in latest
    ]


def cranking(readings: Readings, latest: list[e.Entry]) -> list[Verdict]:
    system_v, ambient_c = readings.battery_v, readings.ambient_c()
    limits = readings.limits(battery.BatteryLimits)
    return [
        verdict(
            x,
            battery.judge_crank(
                readings.value(x, "V"), ambient_c, limits, system_v, readings.instruments.voltmeter(x)
            ),
        )
        for x in latest
    ]


def speed(readings: Readings, latest: list[e.Entry]) -> list[Verdict]:
    limits = readings.limits(battery.BatteryLimits)
    return [verdict(x, battery.judge_speed(readings.value(x, "rpm"), limits)) for x in latest]


def drop(readings: Readings, latest: list[e.Entry]) -> list[Verdict]:
    def judged(x: e.Entry):
        meter = readings.instruments.voltmeter(x)
        side, limits = x.data.where.point or "ground", readings.limits(battery.BatteryLimits)
        return battery.judge_drop(readings.value(x, "V"), side, limits, meter)

    return [verdict(x, judged(x)) for x in latest]


JUDGES: dict[str, Callable[[Readings, list[e.Entry]], list[Verdict]]] = {
    "battery_rest": at_rest,
    "battery_crank": cranking,
    "crank_speed": speed,
    "cable_drop": drop,
}
