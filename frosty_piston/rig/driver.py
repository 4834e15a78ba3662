"""What the driver of a simulated vehicle complains of, and which codes its control units have set.

Both follow from its condition, and neither is complete."""

from . import physics
from .condition import Condition, Rng

TELLS = 0.75
IMAGINES = 0.01
SETS = 0.75
VAGUE = ("low_power", "poor_economy", "hesitation_midrange", "rough_idle", "hard_start_cold")


def truths(state: Condition) -> dict[str, bool]:
    """What is true of the vehicle, as a driver could say it."""
    quality = physics.start_quality(state)
    power = physics.power(state)
    boost = physics.boost_share(state)
    cold = physics.needs_heat(state) > 0.15
    warm = start_warm(state)
    dead = bool(state.coil_open) or any(v < 0.7 for v in state.compression)
    uneven = max(physics.uneven(state)) - min(physics.uneven(state)) > 3.2 or dead
    lame = (
        boost < 0.72
        or state.vane_motor == 0
        or state.vane_plug_loose
        or physics.overboosts(state)
        or state.egr_wire_open
        or state.egr_output_dead
    )
    vacuum = physics.vacuum_share(state) if state.card.vacuum_pump else 1.0
    return {
        "no_start": quality < 0.12 and not cold,
        "no_start_cold": quality < 0.12 and cold,
        "hard_start_cold": 0.12 <= quality < 0.72 and (cold or quality < warm - 0.2),
        "hard_start_hot": 0.12 <= warm < 0.7 or any(v > 45 for v in state.return_ml),
        "slow_crank": physics.crank_rpm(state) < 165,
        "rough_idle_cold": cold and 0.2 < quality < 0.85,
        "rough_idle": uneven,
        "misfire": dead,
        "misfire_intermittent": bool(state.loose_plug),
        "misfire_hot": bool(state.hot_open),
        "white_smoke_start": cold and 0.2 < quality < 0.8 or state.cooler_wet > 0.7,
        "black_smoke": physics.smoke_black(state) > 0.3,
        "blue_smoke": state.turbo < 0.65,
        "limp_mode": lame,
        "low_power": power < 0.8,
        "no_boost": boost < 0.5,
        "overboost": physics.overboosts(state),
        "hesitation_midrange": state.swirl_stuck > 0.4 or state.port_choked > 0.45 or state.vanes_stick > 0.6,
        "surge": state.rail_hunts > 0.5 or state.air_in_fuel > 0.6,
        "stall": state.air_in_fuel > 0.7 or state.rail_hunts > 0.7 or state.module_supply_drop > 6,
        "flap_noise_key_on": state.flap_chatters,
        "wont_stop": state.card.stop == "vacuum" and physics.stop_s(state) > 20,
        "slow_stop": state.card.stop == "vacuum" and 3 < physics.stop_s(state) <= 20,
        "hard_brake_pedal": vacuum < 0.55,
        "idle_vibration": "engine_mount" in state.leaks or uneven,
        "regen_frequent": bool(state.card.dpf)
        and (state.soot_g > 16 or state.short_trips or abs(state.dp_offset_kpa) > 2),
        "regen_refused": bool(state.card.dpf)
        and (state.soot_g > 36 or state.oxidises < 0.4 or abs(state.exhaust_error_c) > 60),
        "def_crystals": bool(state.card.scr) and (not state.cap_seal or state.spray < 0.5),
        "low_def_use": bool(state.card.scr) and (state.spray < 0.4 or state.def_bar < 3),
        "restart_countdown": bool(state.card.scr)
        and (state.latched or physics.nox_cut(state) < 0.45 or not state.nox_heard),
        "poor_economy": state.thermostat_c < 70 or state.soot_g > 26 or physics.smoke_black(state) > 0.5,
        "coolant_loss": state.cooler_wet > 0.3,
        "boost_hiss": state.hose_leak > 0.3,
        "soot_trail": bool(state.blows_by),
        "pedal_fault_message": state.pedals,
        "injector_tick": bool(state.drips) and max(state.drips.values()) > 5,
    }


def start_warm(state: Condition) -> float:
    """How readily it starts warm."""
    was = state.warm
    state.warm = True
    quality = physics.start_quality(state)
    state.warm = was
    return quality


def complaint(state: Condition, set_codes: list[str], k_symptoms: set[str], rng: Rng) -> list[str]:
    """The symptoms a driver names: some of what is true, seldom what is not; the lamp when a code stands."""
    true = [s for s, holds in truths(state).items() if holds and s in k_symptoms]
    said = [s for s in true if rng.random() < TELLS]
    if not said and true:
        said = [str(rng.choice(true))]
    said += [s for s in VAGUE if s not in true and rng.random() < IMAGINES]
    if set_codes and rng.random() < 0.7:
        after = [x for x in set_codes if x.startswith(("P20", "P22", "P24"))]
        said.append("emissions_message" if after and rng.random() < 0.6 else "engine_lamp")
    return said or [str(rng.choice(VAGUE))]


def codes(state: Condition, rng: Rng, sets: float = SETS) -> list[str]:
    """The codes that stand: a control unit that watches something sets its code more often than not."""
    card = state.card
    could = [code for code, holds in _watched(state) if holds]
    if card.injection in ("inline_pump", "rotary_pump"):
        return []
    return [code for code in dict.fromkeys(could) if rng.random() < sets]


def _watched(state: Condition) -> list[tuple[str, bool]]:
    card = state.card
    cylinders = state.cylinders
    electric = card.turbo == "vgt_electric"
    scr = bool(card.scr)
    dpf = bool(card.dpf)
    gas = 1 - (1 - physics.egr_gas(state, 100)) / (1 - physics.egr_gas(state, 0)) if card.egr else 1.0
    glow = card.glow not in (None, "none")
    return [
        *(
            (f"P067{i + 1}", glow and (physics.path_ohm(state, i) > 6 or state.plug_ohm[i] < 0.15))
            for i in range(min(cylinders, 8))
        ),
        ("P0670", glow and (not state.glow_pulls_in or not state.glow_ordered or state.glow_feed < 0.5)),
        ("P0380", glow and (not state.glow_module or state.glow_contact_ohm > 0.3)),
        *(
            (f"P020{i + 1}", i in state.coil_open or i in state.loose_plug and state.ambient_c > -99)
            for i in range(min(cylinders, 8))
        ),
        *(
            (f"P030{i + 1}", i in state.coil_open or i in state.hot_open or state.compression[i] < 0.68)
            for i in range(min(cylinders, 8))
        ),
        ("P0087", physics.rail_crank_bar(state) < 160 or state.high_pump < 0.75 or state.filter_choked > 0.6),
        ("P0089", state.rail_hunts > 0.4),
        ("P0191", abs(state.rail_error_bar) > 90),
        ("P0116", abs(state.coolant_error_c) > 25),
        ("P0128", state.thermostat_c < 72),
        ("P0101", abs(state.maf_gain - 1) > 0.15),
        ("P0102", state.sensor_open == "air_mass_sensor"),
        ("P0107", state.sensor_open == "manifold_pressure_sensor"),
        ("P0106", abs(state.map_error_kpa) > 10),
        (
            "P0299",
            physics.boost_share(state) < 0.72 and not electric or state.hose_leak > 0.5 or state.turbo < 0.6,
        ),
        ("P0234", physics.overboosts(state)),
        ("P2263", state.vanes_stick > 0.5 or state.dead_spot or state.can_leak > 0.6),
        ("P0046", electric and (state.dead_spot or state.vanes_stick > 0.7 or state.vane_offset > 10)),
        ("P0045", electric and (state.vane_motor == 0 or state.vane_plug_loose)),
        ("P0403", state.egr_shorted or not state.egr_driven),
        ("P0404", bool(card.egr) and (state.egr_rest > 10 or state.egr_moves < 0.5 or not state.egr_motor)),
        ("P0401", bool(card.egr) and gas < 0.1),
        ("P0402", bool(card.egr) and physics.egr_gas(state, 0) > 0.06),
        ("P2425", bool(card.egr_cooler_bypass == "electric" and state.bypass != "follows")),
        ("P2101", state.flap_chatters or state.flap_carbon > 0.6),
        ("P2004", state.swirl_stuck > 0.5),
        ("P2463", dpf and (state.soot_g > 26 or state.ash_g > 70)),
        ("P2002", dpf and state.brick_cracked),
        ("P2453", dpf and (abs(state.dp_offset_kpa) > 1.5 or state.dp_hose != "sound")),
        ("P2080", dpf and abs(state.exhaust_error_c) > 50),
        ("P20EE", scr and physics.nox_cut(state) < 0.6),
        ("P207F", scr and state.urea < 29),
        ("P20E8", scr and state.def_bar < 3.8),
        ("P2202", scr and state.nox_up == 0),
        ("P2201", scr and state.nox_heard and abs(state.nox_up - 1) > 0 and state.nox_up > 0),
        ("P229E", scr and state.nox_down == 0),
        ("P229F", scr and state.nox_heard and abs(state.nox_down - 1) > 0 and state.nox_down > 0),
        ("U029D", scr and not state.nox_heard),
        ("P0562", state.module_supply_drop > 1.5),
        ("U0001", state.network_ohm < 20 or state.network_ohm > 200),
        ("P2299", state.pedals),
        ("P0524", state.oil_bar < 0.5),
        ("P0113", state.tool_codes > 0),
        ("P0403", state.tool_codes > 1 and bool(card.egr)),
        ("P0685", state.fuse in ("blown", "relay_dead")),
    ]
