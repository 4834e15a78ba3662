"""Battery and cranking."""

from collections.abc import Callable

from frosty_piston.core import battery
from frosty_piston.core.quantity import Judgement

from .. import entries as e
from ..readings import Readings
from ..result import Result
from .sets import result


def at_rest(readings: Readings, latest: list[e.Entry]) -> list[Result]:
    system_v, ambient_c = readings.battery_v, readings.ambient_c()
    limits = readings.limits(battery.BatteryLimits)
    return [
        result(
            x,
            battery.judge_rest(
                readings.figure(x, "V"), limits, system_v, ambient_c, readings.instruments.voltmeter(x)
            ),
        )
        for x in latest
    ]


def cranking(readings: Readings, latest: list[e.Entry]) -> list[Result]:
    system_v, ambient_c = readings.battery_v, readings.ambient_c()
    limits = readings.limits(battery.BatteryLimits)
    return [
        result(
            x,
            battery.judge_crank(
                readings.figure(x, "V"), ambient_c, limits, system_v, readings.instruments.voltmeter(x)
            ),
        )
        for x in latest
    ]


def speed(readings: Readings, latest: list[e.Entry]) -> list[Result]:
    limits = readings.limits(battery.BatteryLimits)
    return [result(x, battery.judge_speed(readings.figure(x, "rpm"), limits)) for x in latest]


def drop(readings: Readings, latest: list[e.Entry]) -> list[Result]:
    def judged(x: e.Entry) -> Judgement:
        meter = readings.instruments.voltmeter(x)
        side, limits = x.data.where.point or "ground", readings.limits(battery.BatteryLimits)
        return battery.judge_drop(readings.figure(x, "V"), side, limits, meter)

    return [result(x, judged(x)) for x in latest]


JUDGES: dict[str, Callable[[Readings, list[e.Entry]], list[Result]]] = {
    "battery_rest": at_rest,
    "battery_crank": cranking,
    "crank_speed": speed,
    "cable_drop": drop,
}
