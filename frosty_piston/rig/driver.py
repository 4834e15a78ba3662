"""What the driver of a simulated vehicle complains of, and which codes its control units have set.

Both follow from its condition, and neither is complete."""

from . import physics as p
from .condition import Condition, Rng

TELLS = 0.75
IMAGINES = 0.01
SETS = 0.75
VAGUE = ("low_power", "poor_economy", "hesitation_midrange", "rough_idle", "hard_start_cold")


def truths(c: Condition) -> dict[str, bool]:
    """What is true of the vehicle, as a driver could say it."""
    quality = p.start_quality(c)
    power = p.power(c)
    boost = p.boost_share(c)
    cold = p.needs_heat(c) > 0.15
    warm = start_warm(c)
    dead = bool(c.coil_open) or any(v < 0.7 for v in c.compression)
    uneven = max(p.uneven(c)) - min(p.uneven(c)) > 3.2 or dead
    lame = (
        boost < 0.72
        or c.vane_motor == 0
        or c.vane_plug_loose
        or p.overboosts(c)
        or c.egr_wire_open
        or c.egr_output_dead
    )
    vacuum = p.vacuum_share(c) if c.card.vacuum_pump else 1.0
    return {
        "no_start": quality < 0.12 and not cold,
        "no_start_cold": quality < 0.12 and cold,
        "hard_start_cold": 0.12 <= quality < 0.72 and (cold or quality < warm - 0.2),
        "hard_start_hot": 0.12 <= warm < 0.7 or any(v > 45 for v in c.return_ml),
        "slow_crank": p.crank_rpm(c) < 165,
        "rough_idle_cold": cold and 0.2 < quality < 0.85,
        "rough_idle": uneven,
        "misfire": dead,
        "misfire_intermittent": bool(c.loose_plug),
        "misfire_hot": bool(c.hot_open),
        "white_smoke_start": cold and 0.2 < quality < 0.8 or c.cooler_wet > 0.7,
        "black_smoke": p.smoke_black(c) > 0.3,
        "blue_smoke": c.turbo < 0.65,
        "limp_mode": lame,
        "low_power": power < 0.8,
        "no_boost": boost < 0.5,
        "overboost": p.overboosts(c),
        "hesitation_midrange": c.swirl_stuck > 0.4 or c.port_choked > 0.45 or c.vanes_stick > 0.6,
        "surge": c.rail_hunts > 0.5 or c.air_in_fuel > 0.6,
        "stall": c.air_in_fuel > 0.7 or c.rail_hunts > 0.7 or c.module_supply_drop > 6,
        "flap_noise_key_on": c.flap_chatters,
        "wont_stop": c.card.stop == "vacuum" and p.stop_s(c) > 20,
        "slow_stop": c.card.stop == "vacuum" and 3 < p.stop_s(c) <= 20,
        "hard_brake_pedal": vacuum < 0.55,
        "idle_vibration": "engine_mount" in c.leaks or uneven,
        "regen_frequent": bool(c.card.dpf) and (c.soot_g > 16 or c.short_trips or abs(c.dp_offset_kpa) > 2),
        "regen_refused": bool(c.card.dpf)
        and (c.soot_g > 36 or c.oxidises < 0.4 or abs(c.exhaust_error_c) > 60),
        "def_crystals": bool(c.card.scr) and (not c.cap_seal or c.spray < 0.5),
        "low_def_use": bool(c.card.scr) and (c.spray < 0.4 or c.def_bar < 3),
        "restart_countdown": bool(c.card.scr) and (c.latched or p.nox_cut(c) < 0.45 or not c.nox_heard),
        "poor_economy": c.thermostat_c < 70 or c.soot_g > 26 or p.smoke_black(c) > 0.5,
        "coolant_loss": c.cooler_wet > 0.3,
        "boost_hiss": c.hose_leak > 0.3,
        "soot_trail": bool(c.blows_by),
        "pedal_fault_message": c.pedals,
        "injector_tick": bool(c.drips) and max(c.drips.values()) > 5,
    }


def start_warm(c: Condition) -> float:
    """How readily it starts warm."""
    was = c.warm
    c.warm = True
    quality = p.start_quality(c)
    c.warm = was
    return quality


def complaint(c: Condition, set_codes: list[str], k_symptoms: set[str], rng: Rng) -> list[str]:
    """The symptoms a driver names: some of what is true, seldom what is not; the lamp when a code stands."""
    true = [s for s, holds in truths(c).items() if holds and s in k_symptoms]
    said = [s for s in true if rng.random() < TELLS]
    if not said and true:
        said = [str(rng.choice(true))]
    said += [s for s in VAGUE if s not in true and rng.random() < IMAGINES]
    if set_codes and rng.random() < 0.7:
        after = [x for x in set_codes if x.startswith(("P20", "P22", "P24"))]
        said.append("emissions_message" if after and rng.random() < 0.6 else "engine_lamp")
    return said or [str(rng.choice(VAGUE))]


def codes(c: Condition, rng: Rng, sets: float = SETS) -> list[str]:
    """The codes that stand: a control unit that watches something sets its code more often than not."""
    card = c.card
    could = [code for code, holds in _watched(c) if holds]
    if card.injection in ("inline_pump", "rotary_pump"):
        return []
    return [code for code in dict.fromkeys(could) if rng.random() < sets]


def _watched(c: Condition) -> list[tuple[str, bool]]:
    card = c.card
    n = c.cylinders
    electric = card.turbo == "vgt_electric"
    scr = bool(card.scr)
    dpf = bool(card.dpf)
    gas = 1 - (1 - p.egr_gas(c, 100)) / (1 - p.egr_gas(c, 0)) if card.egr else 1.0
    glow = card.glow not in (None, "none")
    return [
        *(
            (f"P067{i + 1}", glow and (p.path_ohm(c, i) > 6 or c.plug_ohm[i] < 0.15))
            for i in range(min(n, 8))
        ),
        ("P0670", glow and (not c.glow_pulls_in or not c.glow_ordered or c.glow_feed < 0.5)),
        ("P0380", glow and (not c.glow_module or c.glow_contact_ohm > 0.3)),
        *(
            (f"P020{i + 1}", i in c.coil_open or i in c.loose_plug and c.ambient_c > -99)
            for i in range(min(n, 8))
        ),
        *(
            (f"P030{i + 1}", i in c.coil_open or i in c.hot_open or c.compression[i] < 0.68)
            for i in range(min(n, 8))
        ),
        ("P0087", p.rail_crank_bar(c) < 160 or c.high_pump < 0.75 or c.filter_choked > 0.6),
        ("P0089", c.rail_hunts > 0.4),
        ("P0191", abs(c.rail_error_bar) > 90),
        ("P0116", abs(c.coolant_error_c) > 25),
        ("P0128", c.thermostat_c < 72),
        ("P0101", abs(c.maf_gain - 1) > 0.15),
        ("P0102", c.sensor_open == "air_mass_sensor"),
        ("P0107", c.sensor_open == "manifold_pressure_sensor"),
        ("P0106", abs(c.map_error_kpa) > 10),
        ("P0299", p.boost_share(c) < 0.72 and not electric or c.hose_leak > 0.5 or c.turbo < 0.6),
        ("P0234", p.overboosts(c)),
        ("P2263", c.vanes_stick > 0.5 or c.dead_spot or c.can_leak > 0.6),
        ("P0046", electric and (c.dead_spot or c.vanes_stick > 0.7 or c.vane_offset > 10)),
        ("P0045", electric and (c.vane_motor == 0 or c.vane_plug_loose)),
        ("P0403", c.egr_shorted or not c.egr_driven),
        ("P0404", bool(card.egr) and (c.egr_rest > 10 or c.egr_moves < 0.5 or not c.egr_motor)),
        ("P0401", bool(card.egr) and gas < 0.1),
        ("P0402", bool(card.egr) and p.egr_gas(c, 0) > 0.06),
        ("P2425", bool(card.egr_cooler_bypass == "electric" and c.bypass != "follows")),
        ("P2101", c.flap_chatters or c.flap_carbon > 0.6),
        ("P2004", c.swirl_stuck > 0.5),
        ("P2463", dpf and (c.soot_g > 26 or c.ash_g > 70)),
        ("P2002", dpf and c.brick_cracked),
        ("P2453", dpf and (abs(c.dp_offset_kpa) > 1.5 or c.dp_hose != "sound")),
        ("P2080", dpf and abs(c.exhaust_error_c) > 50),
        ("P20EE", scr and p.nox_cut(c) < 0.6),
        ("P207F", scr and c.urea < 29),
        ("P20E8", scr and c.def_bar < 3.8),
        ("P2202", scr and c.nox_up == 0),
        ("P2201", scr and c.nox_heard and abs(c.nox_up - 1) > 0 and c.nox_up > 0),
        ("P229E", scr and c.nox_down == 0),
        ("P229F", scr and c.nox_heard and abs(c.nox_down - 1) > 0 and c.nox_down > 0),
        ("U029D", scr and not c.nox_heard),
        ("P0562", c.module_supply_drop > 1.5),
        ("U0001", c.network_ohm < 20 or c.network_ohm > 200),
        ("P2299", c.pedals),
        ("P0524", c.oil_bar < 0.5),
        ("P0113", c.tool_codes > 0),
        ("P0403", c.tool_codes > 1 and bool(card.egr)),
        ("P0685", c.fuse in ("blown", "relay_dead")),
    ]
