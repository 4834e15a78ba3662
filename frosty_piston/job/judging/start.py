"""Battery and cranking."""

from collections.abc import Callable

from frosty_piston.core import battery
from frosty_piston.core.quantity import Judgement
from frosty_piston.job.entries import Entry

from .readings import Readings
from .result import Result
from .sets import result

# More than one battery of 12 V can show: the pair was measured.
PAIR_FROM_V = 16.0


def _across_v(readings: Readings, volts: float) -> int:
    """Whether one battery was measured or the pair in series: the nominal voltage of what was."""
    pair = readings.battery_v == 12 and readings.system_v == 24 and volts > PAIR_FROM_V
    return 24 if pair else readings.battery_v


def at_rest(readings: Readings, latest: list[Entry]) -> list[Result]:
    limits = readings.limits(battery.BatteryLimits)
    results = []
    for entry in latest:
        volts = readings.figure(entry, "V")
        meter = readings.instruments.voltmeter(entry)
        judged = battery.judge_rest(volts, limits, _across_v(readings, volts), readings.ambient_c(), meter)
        results.append(result(entry, judged))
    return results


def cranking(readings: Readings, latest: list[Entry]) -> list[Result]:
    limits = readings.limits(battery.BatteryLimits)
    results = []
    for entry in latest:
        volts = readings.figure(entry, "V")
        meter = readings.instruments.voltmeter(entry)
        judged = battery.judge_crank(volts, readings.ambient_c(), limits, _across_v(readings, volts), meter)
        results.append(result(entry, judged))
    return results


def speed(readings: Readings, latest: list[Entry]) -> list[Result]:
    limits = readings.limits(battery.BatteryLimits)
    return [result(x, battery.judge_speed(readings.figure(x, "rpm"), limits)) for x in latest]


def drop(readings: Readings, latest: list[Entry]) -> list[Result]:
    def judged(entry: Entry) -> Judgement:
        meter = readings.instruments.voltmeter(entry)
        side = entry.data.where.point or "ground"
        limits = readings.limits(battery.BatteryLimits)
        return battery.judge_drop(readings.figure(entry, "V"), side, limits, meter)

    return [result(x, judged(x)) for x in latest]


def current(readings: Readings, latest: list[Entry]) -> list[Result]:
    limits = readings.limits(battery.BatteryLimits)
    litres = readings.job.engine.displacement_l
    results = []
    for entry in latest:
        amps = readings.figure(entry, "A")
        said = entry.data.conditions
        oil_c = said.oil_c if said and said.oil_c is not None else _soaked_c(readings)
        if litres is None:
            says = "Put the displacement on the engine card: the usual current hangs on it."
            results.append(
                result(entry, Judgement("unclear", "unclear", amps, unit="A", uncertainty=None, because=says))
            )
        else:
            judged = battery.judge_crank_current(amps, litres, oil_c, limits, readings.system_v)
            results.append(result(entry, judged))
    return results


def _soaked_c(readings: Readings) -> float | None:
    """The oil of an engine whose complaint is a cold start is as cold as the air."""
    cold = any(s in readings.job.symptoms for s in ("hard_start_cold", "no_start_cold"))
    return readings.ambient_c() if cold else None


JUDGES: dict[str, Callable[[Readings, list[Entry]], list[Result]]] = {
    "battery_rest": at_rest,
    "battery_crank": cranking,
    "crank_speed": speed,
    "cable_drop": drop,
    "crank_current": current,
}
# What each judge can answer beside the words of every judge.
ANSWERS: dict[str, tuple[str, ...]] = {
    "battery_rest": ("charged", "low", "flat"),
    "battery_crank": ("holds", "sags"),
    "crank_speed": ("fast_enough", "slow", "too_slow"),
    "cable_drop": ("drops",),
    "crank_current": ("as_expected", "low", "high"),
}
