"""The true condition of a simulated vehicle: what its parts are like, and what each fault does to them.

Nothing here knows a chance of the knowledge files: a fault changes resistances, leaks, stiffness and errors,
and all else follows.
"""

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from frosty_piston.job.engine import EngineCard

from .electrics import network_pair

Rng = np.random.Generator


@dataclass
class Condition:
    """A sound vehicle; figures in SI or as their names say, shares from 0 to 1."""

    card: EngineCard
    cylinders: int
    ambient_c: float
    altitude_m: float = 300.0
    warm: bool = False
    # battery and starter
    ocv_v: float = 12.72
    battery_ohm: float = 0.0055
    cable_ohm: dict[str, float] = field(default_factory=lambda: {"positive": 0.0006, "ground": 0.0004})
    starter_load: float = 1.0
    # glow
    plug_ohm: list[float] = field(default_factory=list)
    plug_right: bool = True
    tip_share: list[float] = field(default_factory=list)
    glow_wire_open: set[int] = field(default_factory=set)
    glow_contact_ohm: float = 0.0012
    glow_pulls_in: bool = True
    glow_ordered: bool = True
    glow_feed: float = 1.0
    glow_module: bool = True
    coolant_error_c: float = 0.0
    thermostat_c: float = 87.0
    heater_warms: bool = True
    # fuel
    air_in_fuel: float = 0.0
    filter_choked: float = 0.0
    lift: float = 1.0
    rail_build: float = 1.0
    rail_hunts: float = 0.0
    rail_valve_shuts: bool = True
    rail_error_bar: float = 0.0
    high_pump: float = 1.0
    # injectors and base engine
    coil_open: set[int] = field(default_factory=set)
    loose_plug: set[int] = field(default_factory=set)
    hot_open: set[int] = field(default_factory=set)
    return_ml: list[float] = field(default_factory=list)
    drips: dict[int, float] = field(default_factory=dict)
    blows_by: set[int] = field(default_factory=set)
    trim_error: dict[int, float] = field(default_factory=dict)
    spool_sticks: float = 0.0
    compression: list[float] = field(default_factory=list)
    oil_bar: float = 1.0
    # air and boost
    filter_loss: float = 0.05
    filter_collapsed: bool = False
    maf_gain: float = 1.0
    map_error_kpa: float = 0.0
    port_choked: float = 0.0
    hose_leak: float = 0.0
    vanes_stick: float = 0.0
    vane_motor: float = 1.0
    dead_spot: bool = False
    vane_plug_loose: bool = False
    vane_offset: float = 0.0
    can_leak: float = 0.0
    boost_solenoid: float = 1.0
    turbo: float = 1.0
    # exhaust gas recirculation and flaps
    egr_rest: float = 1.0
    egr_moves: float = 1.0
    egr_motor: bool = True
    egr_shorted: bool = False
    egr_wire_open: bool = False
    egr_output_dead: bool = False
    egr_flow: float = 1.0
    cooler_flow: float = 1.0
    cooler_wet: float = 0.0
    bypass: str = "follows"
    flap_chatters: bool = False
    flap_carbon: float = 0.0
    swirl_stuck: float = 0.0
    # exhaust
    soot_g: float = 8.0
    ash_g: float = 15.0
    brick_cracked: bool = False
    dp_offset_kpa: float = 0.0
    dp_hose: str = "sound"
    exhaust_error_c: float = 0.0
    burns: float = 1.0
    oxidises: float = 1.0
    # DEF and NOx
    spray: float = 1.0
    urea: float = 32.5
    foreign: str = "clean"
    def_bar: float = 5.0
    def_falls: float = 0.0
    cap_seal: bool = True
    nox_up: float = 1.0
    nox_down: float = 1.0
    nox_heard: bool = True
    nox_wire: str = ""
    catalyst: float = 0.92
    latched: bool = False
    def_heats: bool = True
    # vacuum and stop
    pump: float = 0.93
    hose_vac_leak: float = 0.0
    hose_vac_off: str = ""
    check_valve: str = "good"
    leaks: dict[str, float] = field(default_factory=dict)
    key_passes: bool = True
    rack_free: bool = True
    # wiring
    module_supply_drop: float = 0.05
    network_ohm: float = 60.0
    sensor_open: str = ""
    fuse: str = "sound"
    tool_codes: int = 0
    pedals: bool = False
    short_trips: bool = False

    @property
    def system_v(self) -> int:
        return self.card.system_voltage or 12

    @property
    def egr_driven(self) -> bool:
        """Whether what the control unit orders arrives at the EGR valve and moves its drive."""
        return self.egr_motor and not self.egr_wire_open and not self.egr_output_dead

    @property
    def vgt(self) -> bool:
        return self.card.turbo in ("vgt_vacuum", "vgt_electric")


def sound(card: EngineCard, ambient_c: float, rng: Rng) -> Condition:
    """A vehicle of some age with nothing wrong: parts differ a little, as they do."""
    n = card.cylinders or 4
    nominal = card.glow_nominal_ohm or {"fast_7v": 0.45, "fast_5v": 0.3, "ceramic": 0.6}.get(
        card.glow or "", 0.85
    )
    condition = Condition(card, n, ambient_c)
    condition.plug_ohm = [float(nominal * rng.normal(1.0, 0.04)) for _ in range(n)]
    condition.tip_share = [1.0] * n
    condition.return_ml = [float(rng.normal(18.0, 2.0)) for _ in range(n)]
    condition.compression = [float(rng.normal(0.985, 0.012)) for _ in range(n)]
    condition.soot_g = float(rng.uniform(3, 15))
    condition.ash_g = float(rng.uniform(5, 35))
    condition.filter_loss = float(rng.uniform(0.02, 0.12))
    condition.egr_flow = float(rng.uniform(0.8, 1.0))
    condition.urea = float(rng.normal(32.5, 0.15))
    condition.pump = float(rng.normal(0.93, 0.01))
    return condition


def _some(state: Condition, rng: Rng, most: float = 0.5) -> list[int]:
    """A few cylinders, one at least."""
    count = 1 + int(rng.binomial(max(1, int(state.cylinders * most)) - 1, 0.4)) if state.cylinders > 1 else 1
    return sorted(int(x) for x in rng.choice(state.cylinders, count, replace=False))


def _plugs_open(state: Condition, s: float, rng: Rng) -> None:
    for i in _some(state, rng, 0.75):
        state.plug_ohm[i] = float("inf")


def _plugs_tired(state: Condition, s: float, rng: Rng) -> None:
    for i in range(state.cylinders) if rng.random() < 0.5 else _some(state, rng, 0.75):
        state.plug_ohm[i] *= 1.7 + 3.0 * s * rng.random()
        state.tip_share[i] = 0.4


def _plug_short(state: Condition, s: float, rng: Rng) -> None:
    state.plug_ohm[int(rng.integers(state.cylinders))] = 0.05
    state.glow_feed = 0.0 if rng.random() < 0.4 else state.glow_feed


def _plugs_wrong(state: Condition, s: float, rng: Rng) -> None:
    factor = float(rng.choice([0.5, 1.6, 1.9]))
    state.plug_ohm = [r * factor for r in state.plug_ohm]
    state.plug_right = False
    state.tip_share = [0.5] * state.cylinders


def _glow_wire(state: Condition, s: float, rng: Rng) -> None:
    everywhere = rng.random() < 0.2
    state.glow_wire_open = set(range(state.cylinders)) if everywhere else set(_some(state, rng, 0.5))


def _set(**values: object) -> Callable[[Condition, float, Rng], None]:
    def effect(state: Condition, s: float, rng: Rng) -> None:
        for name, value in values.items():
            setattr(state, name, value(s, rng) if callable(value) else value)

    return effect


def _of_cylinders(name: str, most: float = 0.3) -> Callable[[Condition, float, Rng], None]:
    def effect(state: Condition, s: float, rng: Rng) -> None:
        setattr(state, name, set(_some(state, rng, most)))

    return effect


def _battery(state: Condition, s: float, rng: Rng) -> None:
    state.ocv_v -= 0.75 * s * rng.random()
    state.battery_ohm *= 1 + 3.2 * s


def _cable(state: Condition, s: float, rng: Rng) -> None:
    state.cable_ohm[str(rng.choice(["positive", "ground"]))] += 0.003 + 0.006 * s


def _return(state: Condition, s: float, rng: Rng) -> None:
    for i in _some(state, rng):
        state.return_ml[i] *= 2.3 + 2.5 * s
    state.rail_build *= 1 - 0.55 * s


def _drip(state: Condition, s: float, rng: Rng) -> None:
    state.drips = {i: 3.0 + 4.0 * s for i in _some(state, rng)}


def _trim(state: Condition, s: float, rng: Rng) -> None:
    state.trim_error = {i: float(rng.choice([-1, 1])) * (3.5 + 3.0 * s) for i in _some(state, rng)}


def _compression(state: Condition, s: float, rng: Rng) -> None:
    state.compression[int(rng.integers(state.cylinders))] -= 0.15 + 0.3 * s


def _vane_motor(state: Condition, s: float, rng: Rng) -> None:
    if rng.random() < 0.65:
        state.dead_spot = True
    else:
        state.vane_motor = 0.0
    state.vane_motor *= 1 - 0.3 * s


def _egr_drive(state: Condition, s: float, rng: Rng) -> None:
    state.egr_motor = False
    state.egr_shorted = bool(rng.random() < 0.25)
    state.egr_rest = float(rng.choice([1.0, 1.0, 25.0, 55.0]))


def _nox(side: str) -> Callable[[Condition, float, Rng], None]:
    def effect(state: Condition, s: float, rng: Rng) -> None:
        setattr(state, side, 0.0 if rng.random() < 0.4 else 1 + float(rng.choice([-1, 1])) * (0.25 + 0.4 * s))

    return effect


def _leak(node: str) -> Callable[[Condition, float, Rng], None]:
    def effect(state: Condition, s: float, rng: Rng) -> None:
        state.leaks[node] = 0.15 + 0.8 * s

    return effect


def _bypass(state: Condition, s: float, rng: Rng) -> None:
    state.bypass = str(rng.choice(["no_return", "stuck"]))


def _module_supply(state: Condition, s: float, rng: Rng) -> None:
    state.module_supply_drop = 1.2 + 10.0 * s * rng.random()


def _network(state: Condition, s: float, rng: Rng) -> None:
    pair = network_pair(("control_module", "gateway", "nox_sensor", "dosing_unit"))
    what = str(rng.choice(["terminator", "short", "too_many", "open"]))
    if what == "terminator":
        pair.modules[-1].terminates = False
    elif what == "short":
        pair.modules[1].across_ohm = 2.0
    elif what == "too_many":
        pair.modules[1].terminates = True
    for m in pair.modules if what == "open" else ():
        m.plugged = False
    state.network_ohm = pair.across_ohm("control_module")


def _sensor(state: Condition, s: float, rng: Rng) -> None:
    state.sensor_open = str(rng.choice(["air_mass_sensor", "manifold_pressure_sensor"]))


def _nox_supply(state: Condition, s: float, rng: Rng) -> None:
    state.nox_heard = False
    state.nox_wire = str(rng.choice(["supply", "ground", "network"]))


def _check_valve(state: Condition, s: float, rng: Rng) -> None:
    state.check_valve = str(rng.choice(["shut", "leaks"]))


EFFECTS: dict[str, Callable[[Condition, float, Rng], None]] = {
    "battery_weak": _battery,
    "battery_cable_drop": _cable,
    "starter_slow": _set(starter_load=lambda s, r: 1.35 + 0.9 * s),
    "glow_plugs_open": _plugs_open,
    "glow_plugs_high_resistance": _plugs_tired,
    "glow_plug_short": _plug_short,
    "glow_plugs_wrong": _plugs_wrong,
    "glow_harness_open": _glow_wire,
    "glow_relay_contacts": _set(glow_contact_ohm=lambda s, r: 0.12 + 1.2 * s * r.random()),
    "glow_relay_coil": _set(glow_pulls_in=False),
    "glow_control_missing": _set(glow_ordered=False),
    "glow_feed_lost": _set(glow_feed=lambda s, r: 0.0 if r.random() < 0.7 else 0.6),
    "glow_module_failed": _set(glow_module=False),
    "coolant_sensor_wrong": _set(coolant_error_c=lambda s, r: (25 + 45 * s) * r.choice([1, 1, -1])),
    "thermostat_open": _set(thermostat_c=lambda s, r: 70 - 22 * s),
    "intake_heater_failed": _set(heater_warms=False),
    "air_in_fuel": _set(air_in_fuel=lambda s, r: 0.3 + 0.7 * s),
    "fuel_filter_blocked": _set(filter_choked=lambda s, r: 0.45 + 0.5 * s),
    "lift_pump_weak": _set(lift=lambda s, r: 0.65 - 0.6 * s),
    "rail_pressure_low": _set(rail_build=lambda s, r: 0.55 - 0.35 * s),
    "rail_valve_stuck": _set(
        rail_hunts=lambda s, r: 0.4 + 0.6 * s,
        rail_build=lambda s, r: 1 - 0.5 * r.random(),
        rail_valve_shuts=lambda s, r: bool(r.random() < 0.3),
    ),
    "rail_sensor_wrong": _set(rail_error_bar=lambda s, r: (60 + 180 * s) * r.choice([1, -1])),
    "high_pressure_pump_worn": _set(
        high_pump=lambda s, r: 0.8 - 0.4 * s, rail_build=lambda s, r: 0.9 - 0.35 * s
    ),
    "injector_circuit_open": _of_cylinders("coil_open"),
    "injector_connector_fretted": _of_cylinders("loose_plug"),
    "injector_hot_breakdown": _of_cylinders("hot_open"),
    "injector_leak_off": _return,
    "injector_nozzle_worn": _drip,
    "injector_seat_leak": _of_cylinders("blows_by"),
    "injector_trim_missing": _trim,
    "injector_spool_sticks": _set(spool_sticks=lambda s, r: 0.4 + 0.6 * s),
    "compression_low": _compression,
    "oil_pressure_low": _set(oil_bar=lambda s, r: 0.65 - 0.4 * s),
    "air_filter_blocked": _set(
        filter_loss=lambda s, r: 0.35 + 0.5 * s, filter_collapsed=lambda s, r: s > 0.75
    ),
    "air_mass_wrong": _set(maf_gain=lambda s, r: 1 - 0.35 * s if r.random() < 0.75 else 1 + 0.3 * s),
    "manifold_pressure_wrong": _set(map_error_kpa=lambda s, r: (6 + 22 * s) * r.choice([1, -1])),
    "intake_manifold_carbon": _set(port_choked=lambda s, r: 0.3 + 0.5 * s),
    "boost_hose_split": _set(hose_leak=lambda s, r: 0.25 + 0.6 * s),
    "vane_mechanism_sticks": _set(vanes_stick=lambda s, r: 0.35 + 0.6 * s),
    "turbo_actuator_motor": _vane_motor,
    "turbo_actuator_connector": _set(vane_plug_loose=True),
    "turbo_actuator_unlearned": _set(vane_offset=lambda s, r: 8 + 14 * s),
    "turbo_vacuum_actuator": _set(can_leak=lambda s, r: 0.3 + 0.7 * s),
    "boost_solenoid_fault": _set(boost_solenoid=lambda s, r: 0.6 - 0.5 * s),
    "turbo_worn": _set(turbo=lambda s, r: 0.8 - 0.4 * s),
    "egr_stuck_open": _set(
        egr_rest=lambda s, r: 7 + 55 * s * r.random(), egr_moves=lambda s, r: 0.6 - 0.6 * s
    ),
    "egr_stuck_closed": _set(egr_moves=lambda s, r: 0.3 - 0.3 * s),
    "egr_drive_failed": _egr_drive,
    "egr_wiring_open": _set(egr_wire_open=True),
    "egr_passage_blocked": _set(egr_flow=lambda s, r: 0.3 - 0.28 * s),
    "egr_cooler_blocked": _set(cooler_flow=lambda s, r: 0.3 - 0.28 * s),
    "egr_cooler_leak": _set(cooler_wet=lambda s, r: 0.4 + 0.6 * s),
    "egr_bypass_flap": _bypass,
    "inlet_flap_gears": _set(flap_chatters=True),
    "inlet_flap_carbon": _set(flap_carbon=lambda s, r: 0.35 + 0.6 * s),
    "swirl_flaps_stuck": _set(swirl_stuck=lambda s, r: 0.4 + 0.6 * s),
    "dpf_soot": _set(soot_g=lambda s, r: 22 + 28 * s),
    "dpf_ash": _set(ash_g=lambda s, r: 62 + 30 * s),
    "dpf_cracked": _set(brick_cracked=True),
    "dp_sensor_wrong": _set(dp_offset_kpa=lambda s, r: (1.6 + 4 * s) * r.choice([1, 1, -1])),
    "dp_hose_fault": _set(dp_hose=lambda s, r: str(r.choice(["blocked", "split", "swapped"]))),
    "exhaust_temp_wrong": _set(exhaust_error_c=lambda s, r: (35 + 120 * s) * r.choice([1, -1])),
    "oxidation_catalyst_worn": _set(oxidises=lambda s, r: 0.4 - 0.3 * s, burns=0.3),
    "def_injector_crystals": _set(spray=lambda s, r: 0.6 - 0.5 * s),
    "def_quality_poor": _set(urea=lambda s, r: 30.5 - 14 * s),
    "def_contaminated": _set(foreign=lambda s, r: str(r.choice(["oily", "smells", "coloured"]))),
    "def_pressure_low": _set(def_bar=lambda s, r: 4.4 - 3.2 * s, def_falls=lambda s, r: 0.3 + 0.5 * s),
    "def_cap_seal": _set(cap_seal=False),
    "nox_sensor_up": _nox("nox_up"),
    "nox_sensor_down": _nox("nox_down"),
    "nox_sensor_supply": _nox_supply,
    "scr_catalyst_aged": _set(catalyst=lambda s, r: 0.65 - 0.4 * s),
    "countdown_latched": _set(latched=True),
    "def_heater_failed": _set(def_heats=False),
    "vacuum_pump_weak": _set(pump=lambda s, r: 0.72 - 0.4 * s),
    "vacuum_hose_leak": _set(hose_vac_leak=lambda s, r: 0.2 + 0.7 * s),
    "vacuum_hose_off": _set(
        hose_vac_off=lambda s, r: str(r.choice(["off", "wrong_port"])), hose_vac_leak=0.9
    ),
    "vacuum_check_valve": _check_valve,
    "vacuum_reservoir_leak": _leak("reservoir"),
    "vacuum_solenoid_leak": _leak("vacuum_solenoid"),
    "vacuum_mount_leak": _leak("engine_mount"),
    "stop_actuator_leak": _leak("stop_actuator"),
    "stop_line_leak": _leak("stop_line"),
    "stop_key_switch": _set(key_passes=False),
    "stop_rack_linkage": _set(rack_free=False),
    "module_supply_missing": _module_supply,
    "network_wires": _network,
    "sensor_wiring": _sensor,
    "module_output_stage": _set(egr_output_dead=True),
    "fuse_or_relay": _set(fuse=lambda s, r: str(r.choice(["blown", "relay_dead", "corroded"]))),
    "code_from_tool": _set(tool_codes=lambda s, r: 1 + int(r.integers(2))),
    "pedal_overlap": _set(pedals=True),
    "short_trip_loading": _set(short_trips=True, soot_g=lambda s, r: 12 + 14 * s, burns=0.5),
}


def afflict(state: Condition, fault: str, severity: float, rng: Rng) -> None:
    """Give a vehicle a fault. `severity` from 0, slight, to 1. Raises KeyError for an unknown one."""
    EFFECTS[fault](state, severity, rng)
