"""Every test of the vocabulary made on a simulated vehicle: what a technician writes down, noise included."""

import math
from collections.abc import Callable
from typing import Any

import numpy as np

from frosty_piston.core.air import barometer_kpa, expected_air_mg

from . import physics
from .condition import Condition, Rng
from .driver import codes
from .electrics import BODY_MOHM, COIL_OHM, SOUND_CONTACT, Contact, InjectorSet

Entry = dict[str, Any]
Maker = Callable[[Condition, dict[str, str], Rng], list[Entry]]
ROD_TIMES = ((-20, -10, 0, 20, 70), (18.0, 11.5, 7.5, 3.0, 0.5))
MAKERS: dict[str, Maker] = {}
COLD_C = 20.0
HOT_C = 85.0
HOT_OPENS_C = 60.0


def made(test: str) -> Callable[[Maker], Maker]:
    def keep(maker: Maker) -> Maker:
        MAKERS[test] = maker
        return maker

    return keep


def read(test: str, value: float | str, unit: str, conditions: Entry | None = None, **where: Any) -> Entry:
    data: Entry = {"test": test, "value": value, "unit": unit}
    return _with(data, "reading", conditions, where)


def graded(value: float, over: dict[str, float], else_: str) -> str:
    """The first word whose figure a value is over."""
    return next((word for word, least in over.items() if value > least), else_)


def saw(test: str, outcome: str, conditions: Entry | None = None, **where: Any) -> Entry:
    return _with({"test": test, "outcome": outcome}, "outcome", conditions, where)


def figures(test: str, conditions: Entry | None = None, where: Entry | None = None, **values: Any) -> Entry:
    return _with({"test": test, "figures": values}, "outcome", conditions, where or {})


def _with(data: Entry, kind: str, conditions: Entry | None, where: Entry) -> Entry:
    if where:
        data["where"] = where
    if conditions:
        data["conditions"] = conditions
    return {"kind": kind, "data": data}


def shown(rng: Rng, value: float, share: float = 0.01, digits: int = 2, floor: float = 0.0) -> float:
    return round(float(value * rng.normal(1, share) + rng.normal(0, floor)), digits)


def perform(state: Condition, test: str, where: dict[str, str], rng: Rng) -> list[Entry]:
    """What is written down when a test is made. `where`: point, node or channel asked for. Raises KeyError
    for a test that is not made here."""
    return MAKERS[test](state, where, rng)


# battery and starter


def _batteries(state: Condition, test: str, volts: float, rng: Rng) -> list[Entry]:
    points = ["battery_1", "battery_2"][: state.card.batteries or 1]
    in_series = 1 if state.card.batteries == 2 or state.system_v == 12 else 2
    return [read(test, shown(rng, volts * in_series, 0.003), "V", point=x) for x in points]


@made("battery_rest")
def battery_rest(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    return _batteries(state, "battery_rest", state.ocv_v, rng)


@made("battery_crank")
def battery_crank(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    return _batteries(state, "battery_crank", physics.crank_v(state), rng)


@made("crank_speed")
def crank_speed(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    return [read("crank_speed", shown(rng, physics.crank_rpm(state), 0.01, 0), "rpm")]


@made("crank_current")
def crank_current(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    """What an engine of this size takes, more when the starter drags, less when little arrives."""
    arrives = (
        physics.crank_v(state)
        - physics.cable_drop_v(state, "positive")
        - physics.cable_drop_v(state, "ground")
    )
    usual = (60 + 75 * (state.card.displacement_l or 2.5)) * 12 / state.system_v
    amps = usual * physics.starter_a(state) / physics.STARTER_A * min(1.0, (arrives / 10.6)) ** 2
    oil = {"oil_c": round(state.ambient_c, 1)}
    return [read("crank_current", shown(rng, amps, 0.03, 0), "A", oil)]


@made("known_good_battery")
def known_good(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    own = physics.crank_rpm(state)
    volts = state.ocv_v
    ohm = state.battery_ohm
    state.ocv_v = 12.72
    state.battery_ohm = 0.0055
    good = physics.crank_rpm(state)
    state.ocv_v = volts
    state.battery_ohm = ohm
    return [saw("known_good_battery", "turns_well" if own < 180 <= good else "same")]


@made("cable_drop")
def cable_drop(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    return [
        read("cable_drop", shown(rng, physics.cable_drop_v(state, s), 0.02, 2), "V", point=s)
        for s in ("positive", "ground")
    ]


@made("start_aid_compare")
def start_aid(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    cold = physics.start_quality(state)
    warm = 0.0
    state.warm = True
    warm = physics.start_quality(state)
    state.warm = False
    return [saw("start_aid_compare", "better" if warm - cold > 0.2 else "same")]


# glow


@made("glow_resistance")
def glow_resistance(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    point = where.get("point", "harness_connector")
    entries = []
    for i in range(state.cylinders):
        ohm = state.plug_ohm[i] if point == "plug" else physics.path_ohm(state, i)
        said = "OL" if ohm > 1e6 else max(0.0, shown(rng, ohm, 0.008, 2, 0.01))
        entries.append(read("glow_resistance", said, "ohm", point=point, cylinder=i + 1))
    return entries


@made("glow_lamp_test")
def glow_lamp(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    point = where.get("point", "harness_connector")
    entries = []
    for i in range(state.cylinders):
        ohm = state.plug_ohm[i] if point == "plug" else physics.path_ohm(state, i)
        lamp = 12.0**2 / 5.0
        share = 0.0 if ohm > 1e6 else lamp / (lamp + ohm)
        if share > 0.85:
            seen = "lit"
        elif share > 0.2:
            seen = "dim"
        else:
            seen = "dark"
        entries.append(saw("glow_lamp_test", seen, point=point, cylinder=i + 1))
    return [{"kind": "instrument", "data": {"instrument": "lamp", "rated_w": 5}}, *entries]


@made("glow_current")
def glow_current(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    late = {"after_s": 10}
    return [
        read(
            "glow_current",
            max(0.0, shown(rng, physics.plug_a(state, i), 0.02, 1, 0.1)),
            "A",
            late,
            cylinder=i + 1,
        )
        for i in range(state.cylinders)
    ]


@made("glow_bench_heat")
def bench_heat(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    entries = []
    for i, ohm in enumerate(state.plug_ohm):
        if ohm > 1e6:
            seen = "cold"
        elif state.tip_share[i] > 0.8:
            seen = "red_tip"
        else:
            seen = str(rng.choice(["red_elsewhere", "red_tip"]))
        soon, late = (8, 30) if state.card.glow == "rod_12v" else (3, 12)
        after_s = soon if state.tip_share[i] > 0.8 else late
        entries.append(
            saw("glow_bench_heat", seen, {"after_s": after_s} if seen != "cold" else None, cylinder=i + 1)
        )
    return entries


@made("glow_relay")
def glow_relay(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    loaded = {"loaded": True}
    volts = state.ocv_v - physics.SAG_V
    pulls = state.glow_ordered and state.glow_pulls_in
    values = {
        "battery": volts,
        "feed": physics.feed_v(state),
        "supply": volts - 0.1 if state.fuse != "relay_dead" else 0.2,
        "command": 0.2 if state.glow_ordered else volts,
        "output": physics.glow_v(state),
    }
    entries = [
        read("glow_relay", max(0.0, shown(rng, v, 0.005, 2)), "V", loaded, point=x) for x, v in values.items()
    ]
    if state.card.glow_control != "electronic_module":
        entries.append(saw("glow_relay", "click" if pulls else "no_click", point="relay"))
    return entries


@made("glow_on_time")
def glow_on_time(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    seen_c = (70 if state.warm else state.ambient_c) + state.coolant_error_c
    rods = state.card.glow == "rod_12v"
    usual = float(np.interp(seen_c, ROD_TIMES[0], ROD_TIMES[1])) if rods else 2.0
    return [
        read("glow_on_time", 0.0 if not state.glow_ordered else shown(rng, usual, 0.04, 1), "s", point="lamp")
    ]


@made("cold_soak_temps")
def cold_soak(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    errors = {"coolant": state.coolant_error_c, "intake": 0.0, "ambient": 0.0, "fuel": 0.0}
    if state.card.dpf:
        errors["exhaust_1"] = state.exhaust_error_c
    return [
        read(
            "cold_soak_temps", shown(rng, max(-40.0, state.ambient_c + e), 0, 1, 0.8), "degC", channel=channel
        )
        for channel, e in errors.items()
    ]


@made("warm_up")
def warm_up(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    return [
        figures(
            "warm_up", coolant_c=shown(rng, state.thermostat_c + state.coolant_error_c, 0.01, 0), minutes=20
        )
    ]


# fuel


@made("fuel_prime_air")
def prime(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    air = state.air_in_fuel + 0.2 * max(0.0, 0.5 - state.lift)
    return [saw("fuel_prime_air", graded(air, {"empty": 0.85, "bubbles": 0.15}, "clear"))]


@made("fuel_low_pressure")
def low_pressure(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    bar = 4.2 * state.lift * (1 - 0.75 * state.filter_choked) * (1 - 0.4 * state.air_in_fuel)
    return [
        figures("fuel_low_pressure", bar=shown(rng, bar, 0.02, 2), volts_at_pump=shown(rng, 12.2, 0.01, 1))
    ]


@made("fuel_filter_drop")
def filter_drop(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    before = 4.4 * state.lift * (1 - 0.4 * state.air_in_fuel)
    after = before * (1 - 0.05 - 0.75 * state.filter_choked)
    return [
        figures("fuel_filter_drop", before_bar=shown(rng, before, 0.01), after_bar=shown(rng, after, 0.01))
    ]


@made("rail_pressure_crank")
def rail_crank(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    return [
        read(
            "rail_pressure_crank",
            max(0.0, shown(rng, physics.rail_crank_bar(state) + state.rail_error_bar, 0.02, 0)),
            "bar",
        )
    ]


@made("rail_pressure_rest")
def rail_rest(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    """A sensor that reads too little stands at its lower end."""
    at_rest = max(0.0, float(state.rail_error_bar + rng.normal(2, 1.5)))
    return [read("rail_pressure_rest", round(at_rest, 0), "bar")]


@made("rail_pressure_hold")
def rail_hold(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    low = min(
        state.high_pump + 0.1, 1 - 0.6 * state.filter_choked, state.lift + 0.3, 0.6 + 0.4 * state.rail_build
    )
    if state.rail_hunts > 0.3:
        seen = "hunts"
    elif low < 0.85:
        seen = "low"
    elif abs(state.rail_error_bar) > 50:
        seen = "offset"
    else:
        seen = "follows"
    return [saw("rail_pressure_hold", seen)]


# injectors and base engine


def _injectors(state: Condition) -> InjectorSet:
    """The set of the vehicle as it is: nominal coils, some open, some that open with heat."""
    kind = state.card.injection or "rail_solenoid"
    ohm = COIL_OHM.get(kind, COIL_OHM["rail_solenoid"])
    opens = {i + 1: -273.0 for i in state.coil_open} | {i + 1: HOT_OPENS_C for i in state.hot_open}
    return InjectorSet(kind, [ohm] * state.cylinders, [BODY_MOHM] * state.cylinders, opens)


@made("injector_resistance")
def injector_resistance(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    return [
        read(
            "injector_resistance",
            "OL" if math.isinf(ohm) else shown(rng, ohm, 0.015, 3),
            "ohm",
            cylinder=i + 1,
        )
        for i in range(state.cylinders)
        for ohm in [_injectors(state).resistance_ohm(i + 1, COLD_C)]
    ]


@made("injector_insulation")
def insulation(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    return [read("injector_insulation", "OL", "Mohm", cylinder=i + 1) for i in range(state.cylinders)]


@made("injector_leakoff")
def leakoff(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    return [
        read("injector_leakoff", shown(rng, v, 0.05, 0), "ml", cylinder=i + 1)
        for i, v in enumerate(state.return_ml)
    ]


@made("injector_balance")
def balance(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    off = physics.uneven(state)
    mean = sum(off) / len(off)
    return [
        read("injector_balance", shown(rng, v - mean, 0, 1, 0.5), "mm3", cylinder=i + 1)
        for i, v in enumerate(off)
    ]


def _works(state: Condition, i: int) -> float:
    return (
        0.0
        if i in state.coil_open
        else max(0.0, min(1.0, (state.compression[i] - 0.3) / 0.65)) * (0.8 if i in state.blows_by else 1.0)
    )


@made("cylinder_cutout")
def cutout(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    return [
        read(
            "cylinder_cutout", max(0.0, shown(rng, 60 * _works(state, i), 0.05, 0, 1)), "rpm", cylinder=i + 1
        )
        for i in range(state.cylinders)
    ]


@made("misfire_counts")
def misfires(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    entries = []
    for i in range(state.cylinders):
        rate = 60 * (1 - _works(state, i)) ** 2 + (25 if i in state.loose_plug and rng.random() < 0.5 else 0)
        rate += 6 * abs(state.trim_error.get(i, 0)) / 6
        entries.append(
            figures(
                "misfire_counts", None, {"cylinder": i + 1}, count=int(rng.poisson(rate)), revolutions=1000
            )
        )
    return entries


@made("relative_compression")
def compression(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    best = max(state.compression)
    return [
        read(
            "relative_compression", min(100.0, shown(rng, v / best * 100, 0.01, 0)), "percent", cylinder=i + 1
        )
        for i, v in enumerate(state.compression)
    ]


@made("oil_condition")
def oil(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    bad = state.spool_sticks > 0.3 and rng.random() < 0.8
    return [saw("oil_condition", "sludged" if bad else "good")]


@made("oil_pressure")
def oil_pressure(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    return [figures("oil_pressure", bar=shown(rng, 1.6 * state.oil_bar, 0.03, 1), rpm=800, oil_c=90)]


@made("hot_retest")
def hot_retest(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    hot = _injectors(state)
    fails = any(
        math.isinf(hot.resistance_ohm(i, HOT_C)) and not math.isinf(hot.resistance_ohm(i, COLD_C))
        for i in range(1, state.cylinders + 1)
    )
    return [saw("hot_retest", "fails_hot" if fails else "same", {"part_hot": True}, node="injector")]


@made("rail_valve_return")
def rail_valve_return(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    return [saw("rail_valve_return", "dry" if state.rail_valve_shuts else "runs")]


@made("line_loosened")
def line_loosened(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    return [
        saw(
            "line_loosened",
            "changes" if _works(state, i) > 0.5 and state.drips.get(i, 0) < 5 else "no_change",
            cylinder=i + 1,
        )
        for i in range(state.cylinders)
    ]


# air and boost


@made("key_on_pressures")
def key_on(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    around = barometer_kpa(state.altitude_m)
    values = {"barometer": around, "manifold": around + state.map_error_kpa}
    if state.sensor_open == "manifold_pressure_sensor":
        values["manifold"] = 20.0
    if state.card.dpf:
        values |= {"exhaust": around, "differential": state.dp_offset_kpa}
    return [read("key_on_pressures", shown(rng, v, 0, 1, 0.3), "kPa", channel=x) for x, v in values.items()]


@made("air_mass_check")
def air_mass(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    kpa = barometer_kpa(state.altitude_m) + 40 * physics.boost_share(state)
    vd = state.card.displacement_l or 2.2
    n = state.cylinders
    true = expected_air_mg(kpa, vd, n, 35, 0.85 * float(rng.normal(1, 0.02))) * physics.air_share(state)
    gain = (
        0.4 if state.sensor_open == "air_mass_sensor" else state.maf_gain * (1 - 0.12 * state.hose_leak * 0.3)
    )
    said: Entry = {
        "air_mg_stroke": shown(rng, true * gain, 0.02, 0),
        "manifold_kpa": shown(rng, kpa + state.map_error_kpa, 0, 1, 0.5),
    }
    return [figures("air_mass_check", **said, intake_c=35, rpm=1800)]


@made("air_filter_look")
def air_filter(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    if state.filter_collapsed:
        seen = "collapsed"
    elif state.filter_loss > 0.3 or rng.random() < 0.06:
        seen = "dirty"
    else:
        seen = "clean"
    return [saw("air_filter_look", seen)]


@made("intake_look")
def intake_look(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    if state.hose_leak and rng.random() < 0.35 + 0.6 * state.hose_leak:
        return [saw("intake_look", str(rng.choice(["split", "split", "loose", "oil_trail"])))]
    if state.blows_by and rng.random() < 0.6:
        return [saw("intake_look", "soot_trail")]
    oily = state.turbo < 0.75 and rng.random() < 0.5 or rng.random() < 0.08
    return [saw("intake_look", "oil_trail" if oily else "sound")]


@made("boost_leak")
def boost_leak(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    lost = min(0.98, 0.04 + 1.1 * state.hose_leak)
    return [
        figures(
            "boost_leak", start_kpa=70, end_kpa=max(0.0, shown(rng, 70 * (1 - lost), 0.02, 0)), seconds=60
        )
    ]


@made("boost_trace")
def boost_trace(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    share = physics.boost_share(state) * (1 - 0.004 * state.map_error_kpa) * float(rng.normal(1, 0.01))
    if physics.overboosts(state) and rng.random() < 0.6:
        return [saw("boost_trace", "over")]
    hunting = (state.vanes_stick > 0.4 or state.dead_spot or state.vane_plug_loose) and rng.random() < 0.4
    reached = "short" if share < 0.88 else "reaches"
    return [saw("boost_trace", "hunts" if hunting else reached)]


@made("actuator_sweep")
def sweep(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    node = where.get("node", "turbo_actuator")
    return [saw("actuator_sweep", _sweep(state, node, rng), node=node)]


def _sweep(state: Condition, node: str, rng: Rng) -> str:
    if node == "egr_valve":
        return _valve_sweep(state)
    if node == "inlet_flap":
        return _flap_sweep(state)
    if node == "swirl_flaps":
        return _first_that_holds((("stuck", state.swirl_stuck > 0.7), ("sticks", state.swirl_stuck > 0.3)))
    if node == "bypass_flap":
        return {"stuck": "stuck", "no_return": "does_not_close"}.get(state.bypass, "follows")
    return _motor_sweep(state, rng) if state.card.turbo == "vgt_electric" else _vacuum_sweep(state)


def _first_that_holds(rows: tuple[tuple[str, bool], ...]) -> str:
    """The first answer whose condition holds; it follows where none does."""
    return next((answer for answer, holds in rows if holds), "follows")


def _valve_sweep(state: Condition) -> str:
    return _first_that_holds(
        (
            ("stuck", not state.egr_driven or state.egr_moves < 0.06),
            ("does_not_close", state.egr_rest > 6),
            ("sticks", state.egr_moves < 0.7),
        )
    )


def _flap_sweep(state: Condition) -> str:
    return _first_that_holds(
        (
            ("loose", state.flap_chatters),
            ("sticks", state.flap_carbon > 0.5),
            ("slow", state.flap_carbon > 0.3),
        )
    )


def _motor_sweep(state: Condition, rng: Rng) -> str:
    if state.vane_motor == 0 or state.vane_plug_loose and rng.random() < 0.25:
        return "stuck"
    return _first_that_holds(
        (
            ("dead_spot", bool(state.dead_spot)),
            ("does_not_close", state.vane_offset > 10),
            ("sticks", state.vanes_stick > 0.3),
        )
    )


def _vacuum_sweep(state: Condition) -> str:
    reach = physics.vane_reach(state)
    return _first_that_holds(
        (("stuck", reach < 0.15), ("slow", reach < 0.75), ("sticks", state.vanes_stick > 0.3))
    )


@made("vane_learning")
def learning(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    refused = state.vanes_stick > 0.6 or state.vane_motor == 0 or state.dead_spot and rng.random() < 0.5
    learned = "better" if state.vane_offset > 5 else "same"
    return [saw("vane_learning", "refused" if refused else learned)]


@made("actuator_watch")
def watch(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    reach = physics.vane_reach(state)
    jumps = (
        state.vanes_stick > 0.45
        or state.dead_spot
        and rng.random() < 0.5
        or state.vane_plug_loose
        and rng.random() < 0.4
    )
    if reach < 0.12:
        seen = "still"
    elif jumps:
        seen = "erratic"
    elif reach < 0.8:
        seen = "part_stroke"
    else:
        seen = "full_stroke"
    return [saw("actuator_watch", seen, node="turbo_actuator")]


@made("linkage_free")
def linkage(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    return [saw("linkage_free", graded(state.vanes_stick, {"seized": 0.85, "rough": 0.25}, "free"))]


@made("unplug_compare")
def unplug(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    node = where.get("node", "air_mass_sensor")
    helped = {
        "air_mass_sensor": abs(state.maf_gain - 1) > 0.12 or state.sensor_open == "air_mass_sensor",
        "manifold_pressure_sensor": abs(state.map_error_kpa) > 10
        or state.sensor_open == "manifold_pressure_sensor",
        "egr_valve": False,
        "turbo_actuator": False,
    }.get(node, False)
    return [saw("unplug_compare", "better" if helped else str(rng.choice(["same", "worse"])), node=node)]


# recirculation and flaps


@made("egr_position")
def egr_position(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    return [
        read(
            "egr_position", max(0.0, shown(rng, state.egr_rest, 0.03, 0, 0.4)), "percent", point="engine_off"
        )
    ]


@made("egr_air_change")
def egr_air(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    whole = (
        expected_air_mg(
            barometer_kpa(state.altitude_m), state.card.displacement_l or 2.2, state.cylinders, 30, 0.85
        )
        * state.maf_gain
    )
    shut, opened = (whole * (1 - physics.egr_gas(state, x)) for x in (0.0, 100.0))
    return [
        read("egr_air_change", shown(rng, v, 0.01, 0), "mg", point=x)
        for x, v in (("shut", shut), ("open", opened))
    ]


@made("egr_actuate")
def egr_actuate(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    """Driven straight at the part, past its wires."""
    if state.egr_shorted:
        return [saw("egr_actuate", "shorted")]
    return [saw("egr_actuate", _felt(state, state.egr_motor, rng))]


def _felt(state: Condition, driven: bool, rng: Rng) -> str:
    """What ear and finger tell of a valve that is driven, or not."""
    if not driven or state.egr_moves < 0.06:
        return "none"
    loosens = str(rng.choice(["weak", "improves"]))
    return "crisp" if state.egr_moves > 0.75 and state.egr_rest < 6 else loosens


@made("egr_command")
def egr_command(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    """Ordered by the control unit, through its wires."""
    return [saw("egr_command", _felt(state, state.egr_driven, rng))]


@made("egr_arm_free")
def egr_arm(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    held = "seized_open" if state.egr_rest > 6 and state.egr_motor else "seized_shut"
    if state.egr_moves < 0.35:
        seen = held
    elif state.egr_moves < 0.7:
        seen = "rough"
    else:
        seen = "free"
    return [saw("egr_arm_free", seen)]


@made("flap_watch")
def flap_watch(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    if state.fuse in ("blown", "relay_dead"):
        return [saw("flap_watch", "still")]
    if state.flap_chatters:
        return [saw("flap_watch", str(rng.choice(["keeps_cycling", "grinds", "still"], p=[0.5, 0.3, 0.2])))]
    stops = state.flap_carbon > 0.5 and rng.random() < 0.7
    crust = str(rng.choice(["still", "grinds", "keeps_cycling"], p=[0.75, 0.17, 0.08]))
    return [saw("flap_watch", crust if stops else "once_then_still")]


@made("egr_look")
def egr_look(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    stuck = state.egr_moves < 0.5 or state.egr_rest > 12 and state.egr_motor
    if state.egr_flow < 0.35:
        seen = "blocked"
    elif stuck:
        seen = "stuck"
    elif state.cooler_wet > 0.6:
        seen = "wet"
    else:
        seen = ""
    return [saw("egr_look", seen or ("fouled" if rng.random() < 0.4 else "clean"))]


@made("egr_cooler_look")
def cooler_look(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    if state.cooler_flow < 0.35:
        seen = "blocked"
    elif state.cooler_wet:
        seen = "wet"
    else:
        seen = ""
    seen = seen or {"stuck": "stuck", "no_return": "broken"}.get(state.bypass, "")
    return [saw("egr_cooler_look", seen or ("fouled" if rng.random() < 0.4 else "clean"))]


@made("bypass_watch")
def bypass(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    still = state.card.egr_cooler_bypass == "vacuum" and physics.vacuum_share(state) < 0.35
    return [saw("bypass_watch", "stuck" if still and state.bypass == "follows" else state.bypass)]


@made("swirl_compare")
def swirl(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    released = 3.6 * (1 + 0.25 * state.port_choked)
    as_is = released * (1 + 0.9 * state.swirl_stuck + 0.45 * state.port_choked)
    return [
        read("swirl_compare", shown(rng, v, 0.03, 1), "s", point=x)
        for x, v in (("as_is", as_is), ("released", released))
    ]


# vacuum and stop


@made("vacuum_at_pump")
def at_pump(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    kpa = barometer_kpa(state.altitude_m) * state.pump
    slow = 8 / max(0.3, state.pump)
    flicker = abs(float(rng.normal(1 if state.pump > 0.8 else 4, 0.5)))
    said: Entry = {
        "kpa": shown(rng, kpa, 0.01, 0),
        "seconds": round(slow, 0),
        "flicker_kpa": round(flicker, 1),
    }
    return [figures("vacuum_at_pump", **said, altitude_m=round(state.altitude_m))]


@made("vacuum_hold")
def hold(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    node = where.get("node", "vacuum_hose")
    leak = state.leaks.get(node, 0.0)
    leak = max(
        leak,
        state.hose_vac_leak if node == "vacuum_hose" else 0.0,
        state.can_leak if node == "turbo_actuator" else 0.0,
    )
    if node == "check_valve":
        leak = 0.7 if state.check_valve == "leaks" else 0.0
    return [_held("vacuum_hold", node, leak, rng)]


def _held(test: str, node: str, leak: float, rng: Rng) -> Entry:
    end = 60 * float(2.718 ** (-(0.02 + 3.0 * leak)))
    return figures(
        test, None, {"node": node}, start_kpa=60, end_kpa=max(0.0, shown(rng, end, 0, 0, 0.4)), seconds=60
    )


@made("vacuum_section")
def section(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    leak = min(
        1.0,
        state.hose_vac_leak
        + sum(state.leaks.values())
        + 0.6 * state.can_leak * (state.card.turbo == "vgt_vacuum"),
    )
    return [_held("vacuum_section", "vacuum_branch", leak, rng)]


@made("vacuum_travel")
def travel(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    sound = ((0, 0.0), (18, 0.5), (30, 3.5), (45, 9.2), (60, 10.0))
    moves = (1 - state.can_leak) * (1 - 0.5 * state.vanes_stick)
    node = where.get("node", "turbo_actuator")
    return [
        figures(
            "vacuum_travel",
            None,
            {"node": node},
            kpa=kpa,
            mm=max(0.0, shown(rng, mm * moves, 0.02, 1)),
            stroke_up=True,
        )
        for kpa, mm in sound
    ]


@made("vacuum_feel")
def vacuum_feel(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    """A fingertip tells much from little, and little from nothing."""
    node = where.get("node", "vacuum_hose")
    arrives = physics.vacuum_share(state)
    if node == "stop_line":
        arrives *= (1 - state.leaks.get("stop_line", 0.0)) * state.key_passes
    felt = arrives + float(rng.normal(0, 0.08))
    if felt > 0.6:
        seen = "strong"
    elif felt > 0.2:
        seen = "weak"
    else:
        seen = "none"
    return [saw("vacuum_feel", seen, node=node)]


@made("vacuum_look")
def vacuum_look(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    split = state.hose_vac_leak and not state.hose_vac_off and rng.random() < 0.8
    seen = state.hose_vac_off or (
        "split" if split or "stop_line" in state.leaks and rng.random() < 0.7 else "sound"
    )
    return [saw("vacuum_look", seen, node="vacuum_hose")]


@made("brake_pedal_feel")
def pedal_feel(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    return [saw("brake_pedal_feel", "hard" if physics.vacuum_share(state) < 0.6 else "normal")]


@made("stop_hand_pump")
def hand_pump(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    leaks = physics.stop_leaks(state) > 0.1
    if not state.rack_free:
        return [saw("stop_hand_pump", "no_stop_leaks" if leaks else "no_stop")]
    slow = physics.stop_leaks(state) > 0.6
    return [saw("stop_hand_pump", ("slow_" if slow else "stops_") + ("leaks" if leaks else "holds"))]


@made("stop_suction")
def stop_suction(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    leak = physics.stop_leaks(state)
    if not state.rack_free or leak > 0.6:
        seen = "no_stop"
    elif leak > 0.15:
        seen = "slow"
    else:
        seen = "stops"
    return [saw("stop_suction", seen)]


@made("stop_lever")
def stop_lever(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    return [saw("stop_lever", "stops" if state.rack_free or rng.random() < 0.2 else "does_not")]


@made("stop_time")
def stop_time(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    return [read("stop_time", shown(rng, physics.stop_s(state), 0.05, 1), "s")]


@made("key_switch")
def key_switch(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    return [figures("key_switch", passes_off=state.key_passes, seals_on=True, vents=True)]


@made("solenoid_coil")
def coil(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    dead = state.boost_solenoid < 0.25
    return [read("solenoid_coil", "OL" if dead else shown(rng, 28.0, 0.03, 1), "ohm", node="vacuum_solenoid")]


@made("solenoid_duty")
def duty(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    works = state.boost_solenoid
    if works < 0.3:
        seen = "stays"
    elif works < 0.75:
        seen = "lags"
    else:
        seen = "follows"
    vent = works < 0.75 and rng.random() < 0.2
    return [saw("solenoid_duty", "vent_blocked" if vent else seen, node="vacuum_solenoid")]


# exhaust, DEF and NOx


def _dp_said(state: Condition, q: float) -> float:
    true = physics.exhaust_backs(state, q)
    seen = {"blocked": 0.15 * true, "split": 0.25 * true, "swapped": -true}.get(state.dp_hose, true)
    return seen + state.dp_offset_kpa


@made("dpf_pressure")
def dpf_pressure(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    return [
        figures("dpf_pressure", q_m3h=q, dp_kpa=shown(rng, _dp_said(state, q), 0.03, 2, 0.05))
        for q in (110.0, 220.0, 320.0)
    ]


@made("dpf_state")
def dpf_state(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    km = 550 if state.burns > 0.8 and state.soot_g < 18 else 140
    values = (
        ("soot_mass", state.soot_g, "g"),
        ("ash_mass", state.ash_g, "g"),
        ("distance_since_burn", km, "km"),
    )
    return [read("dpf_state", max(0.0, shown(rng, v, 0.06, 0)), u, channel=x) for x, v, u in values]


@made("dp_hose_look")
def dp_hose(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    return [saw("dp_hose_look", state.dp_hose if rng.random() < 0.9 else "sound")]


@made("dp_channels")
def dp_channels(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    return [saw("dp_channels", "one_creeps" if state.dp_hose in ("blocked", "split") else "alike")]


@made("exhaust_temps")
def exhaust_temps(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    gain = 30 * state.oxidises
    values = {"exhaust_1": 340 + state.exhaust_error_c, "exhaust_2": 310 + gain, "exhaust_3": 285 + gain}
    return [read("exhaust_temps", shown(rng, v, 0.01, 0), "degC", channel=x) for x, v in values.items()]


@made("nox_compare")
def nox(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    up = 420.0
    entries = []
    for dosing in (True, False):
        down = up * (1 - physics.nox_cut(state)) if dosing else up * 0.97
        said: Entry = {"dosing": dosing}
        if state.nox_up and state.nox_heard:
            said["up_ppm"] = max(0.0, shown(rng, up * state.nox_up, 0.03, 0))
        if state.nox_down and state.nox_heard:
            said["down_ppm"] = max(0.0, shown(rng, down * state.nox_down, 0.03, 0))
        entries.append(figures("nox_compare", **said))
    return entries


@made("def_look")
def def_look(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    crystals = rng.random() < (0.5 if state.spray < 0.7 else 0.06)
    seen = "crystals" if crystals else "clean"
    return [saw("def_look", seen if state.cap_seal else "seal_missing")]


@made("def_concentration")
def concentration(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    return [read("def_concentration", shown(rng, state.urea, 0, 1, 0.15), "percent")]


@made("def_contamination")
def contamination(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    return [saw("def_contamination", state.foreign)]


@made("def_quantity")
def quantity(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    share = (
        state.spray
        * min(1.0, state.def_bar / 5.0)
        * (0.15 if not state.def_heats and state.ambient_c < -8 else 1.0)
    )
    if state.spray > 0.8:
        seen = "cone"
    elif state.spray < 0.25:
        seen = "drips"
    else:
        seen = "jet"
    entry = figures("def_quantity", expected_ml=100, measured_ml=max(0.0, shown(rng, 100 * share, 0.03, 0)))
    entry["data"]["outcome"] = "none" if share < 0.05 else seen
    return [entry]


@made("def_pressure")
def def_pressure(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    bar = state.def_bar * (0.1 if not state.def_heats and state.ambient_c < -8 else 1.0)
    return [
        figures(
            "def_pressure",
            bar=shown(rng, bar, 0.01, 1),
            held_bar=shown(rng, bar * (1 - state.def_falls), 0.01, 1),
            seconds=60,
        )
    ]


@made("def_injector_look")
def injector_look(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    foul = "fouled" if rng.random() < 0.1 else "clean"
    return [saw("def_injector_look", graded(1 - state.spray, {"blocked": 0.55, "fouled": 0.3}, foul))]


# wiring


def _loose(state: Condition, node: str) -> bool:
    return {
        "injector": bool(state.loose_plug),
        "turbo_actuator": state.vane_plug_loose,
        "egr_valve": state.egr_wire_open,
        "nox_sensor": state.nox_wire != "",
        "control_module": False,
    }.get(node, False)


def _of_node(state: Condition, node: str, seen: str, sound: str, test: str, rng: Rng) -> list[Entry]:
    if node != "injector":
        return [saw(test, seen if _loose(state, node) else sound, node=node)]
    return [
        saw(test, seen if i in state.loose_plug else sound, node=node, cylinder=i + 1)
        for i in range(state.cylinders)
    ]


@made("terminal_fit")
def terminal_fit(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    return _of_node(
        state,
        where.get("node", "injector"),
        str(rng.choice(["loose", "falls_off"])),
        sound="holds",
        test="terminal_fit",
        rng=rng,
    )


FACES = ["dust", "burnt", "wet", "bent", "corroded", "backed_out", "chafed", "broken_wire"]


@made("connector_look")
def connector_look(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    seen = str(rng.choice(FACES)) if rng.random() < 0.8 else "clean"
    return _of_node(state, where.get("node", "injector"), seen, sound="clean", test="connector_look", rng=rng)


@made("wiggle")
def wiggle(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    node = where.get("node", "injector")
    live = _loose(state, node) and not (node == "egr_valve" and rng.random() < 0.5)
    contact = Contact() if live else SOUND_CONTACT
    said: Entry = {
        "wiggle_s": 60,
        "dropouts": len(contact.dropouts(60, True, rng)),
        "rest_s": 60,
        "rest_dropouts": len(contact.dropouts(60, False, rng)),
    }
    return [figures("wiggle", None, {"node": node}, **said)]


@made("swap_parts")
def swap(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    if state.coil_open or state.drips or state.trim_error or state.hot_open:
        seen = "follows"
    else:
        seen = "gone" if state.loose_plug and rng.random() < 0.5 else "stays"
    return [saw("swap_parts", seen, node="injector", cylinder=1)]


SIGNAL_ERRORS = {
    "coolant_sensor": lambda c: abs(c.coolant_error_c) / 400,
    "manifold_pressure_sensor": lambda c: abs(c.map_error_kpa) / 200,
    "air_mass_sensor": lambda c: abs(c.maf_gain - 1) / 3,
    "dp_sensor": lambda c: abs(c.dp_offset_kpa) / 30,
    "rail_pressure_sensor": lambda c: abs(c.rail_error_bar) / 1500,
}


@made("sensor_signal")
def sensor_signal(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    """Between the ends; at one where its wire is open, or now and then where the element is spent."""
    node = where.get("node", "manifold_pressure_sensor")
    ends = state.sensor_open == node or rng.random() < SIGNAL_ERRORS[node](state)
    volts = float(rng.choice([0.03, 4.96])) if ends else float(rng.uniform(0.8, 3.8))
    return [read("sensor_signal", shown(rng, volts, 0.005, 2), "V", node=node)]


@made("supply_pins")
def supply_pins(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    node = where.get("node", "control_module")
    battery = 12.5 * (state.system_v // 12)
    drop = state.module_supply_drop if node == "control_module" else 0.06
    dead = (
        node == "nox_sensor"
        and state.nox_wire == "supply"
        or node == "egr_valve"
        and state.egr_wire_open
        and rng.random() < 0.6
        or state.fuse in ("blown", "relay_dead")
        and node in ("nox_sensor", "egr_valve", "turbo_actuator")
        or node == "glow_module"
        and state.glow_feed < 0.3
        or node == "turbo_actuator"
        and state.vane_plug_loose
        and rng.random() < 0.3
    )
    loaded = {"loaded": True, "battery_v": battery}
    ground = 0.9 if node == "nox_sensor" and state.nox_wire == "ground" else 0.03
    entries = [
        read(
            "supply_pins",
            0.1 if dead else shown(rng, max(0.0, battery - drop), 0.004),
            "V",
            loaded,
            node=node,
            pin="supply",
        ),
        read("supply_pins", shown(rng, ground, 0.05), "V", loaded, node=node, pin="ground"),
    ]
    if node in ("air_mass_sensor", "manifold_pressure_sensor"):
        said = 0.1 if state.sensor_open == node else shown(rng, 5.0, 0.004)
        entries.append(read("supply_pins", said, "V", loaded, node=node, pin="reference"))
    return entries


@made("network_pins")
def network_pins(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    node = where.get("node", "control_module")
    ohm = 1e6 if node == "nox_sensor" and state.nox_wire == "network" else state.network_ohm
    return [read("network_pins", shown(rng, min(ohm, 1e6), 0.01, 1), "ohm", node=node, pin="pair")]


@made("circuit_drop")
def circuit_drop(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    node = where.get("node", "control_module")
    if node == "control_module":
        drop = state.module_supply_drop
    elif _loose(state, node) and rng.random() < 0.6:
        drop = 2.0
    else:
        drop = 0.08
    return [figures("circuit_drop", None, {"node": node}, drop_v=shown(rng, drop, 0.02), current_a=5)]


@made("fuse_look")
def fuse_look(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    return [saw("fuse_look", "blown" if state.glow_feed == 0 and rng.random() < 0.6 else state.fuse)]


@made("code_return")
def code_return(state: Condition, where: dict[str, str], rng: Rng) -> list[Entry]:
    back = bool(codes(state, rng, 0.9))
    return [saw("code_return", "same" if back and not state.tool_codes else "none")]
