"""What follows from the condition of a simulated vehicle: voltages, speeds, heat, pressures and flows."""

from .condition import Condition

STARTER_A = 260.0
HOT_TIMES = 1.35
SAG_V = 0.5
PASS = 9.0


def starter_a(c: Condition) -> float:
    """Current of the starter, A, at 12 V; cold oil drags."""
    cold = 1 + max(0.0, 10 - c.ambient_c) * 0.006
    return float(STARTER_A * c.starter_load**0.6 * cold * (1 if c.warm else 1.05))


def crank_v(c: Condition) -> float:
    """Voltage of one battery while cranking, V."""
    cold = 1 + max(0.0, 10 - c.ambient_c) * 0.02
    return c.ocv_v - starter_a(c) * c.battery_ohm * cold


def cable_drop_v(c: Condition, side: str) -> float:
    return starter_a(c) * c.cable_ohm[side]


def crank_rpm(c: Condition) -> float:
    volts = crank_v(c) - cable_drop_v(c, "positive") - cable_drop_v(c, "ground")
    return max(0.0, float(225 * (max(0.1, volts) / 10.6) ** 1.3 / c.starter_load))


# glow


def path_ohm(c: Condition, i: int) -> float:
    return float("inf") if i in c.glow_wire_open else c.plug_ohm[i] + 0.02


def glow_works(c: Condition) -> bool:
    """Whether the relay or module gives anything out."""
    return c.glow_ordered and c.glow_pulls_in and c.glow_module and c.glow_feed > 0


def glow_v(c: Condition) -> float:
    """Voltage that the plugs get, V: the supply divides between contacts and plugs."""
    if not glow_works(c):
        return 0.0
    if c.card.glow_control == "electronic_module":
        return {"fast_7v": 7.0, "fast_5v": 5.0}.get(c.card.glow or "", 11.4) * c.glow_feed
    load = sum(1 / (HOT_TIMES * path_ohm(c, i)) for i in range(c.cylinders))
    return feed_v(c) / (1 + c.glow_contact_ohm * load)


def feed_v(c: Condition) -> float:
    """Voltage at the feed stud with the plugs on, V."""
    return (c.ocv_v - SAG_V) * c.glow_feed


def plug_a(c: Condition, i: int) -> float:
    """Current of a plug once it is hot, A: its resistance rises."""
    return glow_v(c) / (HOT_TIMES * path_ohm(c, i))


def heat(c: Condition, i: int) -> float:
    """How much of its heat the tip of a plug gets, 0 to 1."""
    whole = {"fast_7v": 7.0, "fast_5v": 5.0}.get(c.card.glow or "", 11.0)
    usual = c.card.glow_nominal_ohm or {"fast_7v": 0.45, "fast_5v": 0.3, "ceramic": 0.6}.get(
        c.card.glow or "", 0.85
    )
    ordered = 1.0 if c.coolant_error_c < 30 else 0.35
    share = (plug_a(c, i) ** 2 * HOT_TIMES**2 * min(c.plug_ohm[i], 1e6)) / (whole**2 / usual)
    return min(1.0, share) * c.tip_share[i] * ordered


def cold_aid(c: Condition, i: int) -> float:
    if c.card.glow in (None, "none"):
        return (1.0 if c.heater_warms else 0.0) if c.card.intake_heater else 1.0
    return heat(c, i)


def needs_heat(c: Condition) -> float:
    """How much a cold start leans on the glow, 0 to 1: by ambient and by the kind of combustion."""
    if c.warm:
        return 0.0
    starts_at, slope = (25.0, 18.0) if c.card.combustion == "prechamber" else (6.0, 16.0)
    return min(1.0, max(0.0, (starts_at - c.ambient_c) / slope))


def rail_crank_bar(c: Condition) -> float:
    speed = min(1.0, crank_rpm(c) / 180)
    return 320 * c.rail_build * supply(c) * min(1.0, c.high_pump + 0.1) * (0.5 + 0.5 * speed)


def supply(c: Condition) -> float:
    """Share of the fuel that reaches the high-pressure side when it is asked little."""
    waxed = c.filter_choked * (1.0 if c.ambient_c < -8 else 0.45)
    return max(0.0, min(1.0, c.lift * 1.15) * (1 - 0.7 * c.air_in_fuel) * (1 - 0.6 * waxed))


def fires(c: Condition, i: int) -> float:
    """How readily a cylinder fires at the start, 0 to 1."""
    if i in c.coil_open:
        return 0.0
    chance = 1 - needs_heat(c) * (1 - cold_aid(c, i))
    chance *= min(1.0, max(0.0, (c.compression[i] - 0.4) / 0.4)) if not c.warm else 1.0
    if c.card.injection in ("rail_solenoid", "rail_piezo"):
        chance *= min(1.0, max(0.0, (rail_crank_bar(c) - 100) / 90))
    else:
        chance *= supply(c)
    chance *= min(1.0, max(0.0, (crank_rpm(c) - 95) / 55))
    if c.card.injection == "hydraulic_unit" and not c.warm:
        chance *= (1 - 0.85 * c.spool_sticks) * min(1.0, c.oil_bar + 0.2)
    return float(chance)


def start_quality(c: Condition) -> float:
    return sum(fires(c, i) for i in range(c.cylinders)) / c.cylinders


# air, boost, recirculation


def egr_open_percent(c: Condition, asked: float) -> float:
    """Where the valve stands when it is asked somewhere, percent."""
    if not c.egr_driven:
        return c.egr_rest
    return c.egr_rest + max(0.0, asked - c.egr_rest) * c.egr_moves


def egr_gas(c: Condition, asked: float) -> float:
    """Share of the charge that is exhaust gas."""
    return float(0.42 * (egr_open_percent(c, asked) / 100) ** 0.7 * c.egr_flow * c.cooler_flow)


def vacuum_share(c: Condition) -> float:
    """What is left of a sound circuit's vacuum at its consumers."""
    if c.check_valve == "shut":
        return 0.1
    lost = c.hose_vac_leak + 0.5 * sum(c.leaks.values())
    return max(0.0, min(1.0, c.pump / 0.93) * (1 - 0.7 * min(1.0, lost)))


def vane_reach(c: Condition) -> float:
    """How well the turbo is driven to where it is asked, 0 to 1."""
    if c.card.turbo == "vgt_electric":
        drive = c.vane_motor * (0.55 if c.dead_spot else 1.0) * (0.6 if c.vane_plug_loose else 1.0)
    else:
        vacuum = vacuum_share(c) if c.card.turbo == "vgt_vacuum" else 1.0
        drive = (1 - c.can_leak) * c.boost_solenoid * vacuum
    return max(0.0, drive * (1 - 0.4 * c.vanes_stick) * (1 - 0.015 * c.vane_offset))


def boost_share(c: Condition) -> float:
    """Boost got of boost asked in a pull, 0 to 1.3."""
    if c.card.turbo in (None, "none"):
        return 1.0
    got = (0.25 + 0.8 * vane_reach(c)) * c.turbo * (1 - 0.75 * c.hose_leak) * (1 - 0.5 * c.filter_loss)
    got *= (1 - 0.3 * c.port_choked) * (1 - 0.35 * c.flap_carbon) * (1 - 0.004 * max(0.0, c.soot_g - 25))
    return float(min(1.02, got))


def overboosts(c: Condition) -> bool:
    return c.vgt and c.vanes_stick > 0.55 or c.vane_offset > 15


def air_share(c: Condition) -> float:
    """Fresh air that the engine gets of what it should, EGR ordered shut."""
    rest = egr_gas(c, 0.0)
    return (1 - rest) * (1 - 0.25 * c.filter_loss) * (1 - 0.2 * c.port_choked)


def smoke_black(c: Condition) -> float:
    short = max(0.0, 1 - boost_share(c)) * 0.8 + max(0.0, 1 - air_share(c)) * 0.9 + 0.1 * len(c.drips)
    return float(short + 0.5 * max(0.0, 1 - c.maf_gain) * 0.3 + (0.35 if c.drips else 0.0))


def power(c: Condition) -> float:
    fuel = min(1.0, c.high_pump + 0.12) * (1 - 0.7 * c.filter_choked) * min(1.0, c.lift + 0.25)
    got = min(boost_share(c), 1.0) * fuel * (1 - 0.25 * max(0.0, 1 - air_share(c)))
    weak = sum(1 for i in range(c.cylinders) if i in c.coil_open or c.compression[i] < 0.75) / c.cylinders
    metered = min(1.0, c.maf_gain + 0.05) * (1 - 0.006 * abs(c.map_error_kpa))
    return float(
        got * (1 - weak) * metered * (1 - 0.006 * max(0.0, c.soot_g - 25) - 0.004 * max(0.0, c.ash_g - 50))
    )


def uneven(c: Condition) -> list[float]:
    """How far each cylinder's work is off at idle, in mm3 of correction."""
    off = []
    for i in range(c.cylinders):
        more = c.trim_error.get(i, 0.0) - c.drips.get(i, 0.0) + (3.0 if i in c.blows_by else 0.0)
        more += 14.0 * max(0.0, 0.93 - c.compression[i])
        off.append(more if i not in c.coil_open else PASS)
    return off


def exhaust_backs(c: Condition, q_m3h: float) -> float:
    """True pressure drop over the filter, kPa."""
    if c.brick_cracked:
        return 0.002 * q_m3h * 0.1
    load = 0.0035 * (1 + 0.055 * max(0.0, c.soot_g) + 0.028 * max(0.0, c.ash_g))
    return load * q_m3h + 1.1e-5 * q_m3h**2


def nox_cut(c: Condition) -> float:
    thawed = c.def_heats or c.ambient_c > -8
    dose = (
        c.spray * min(1.0, c.def_bar / 5.0) * min(1.0, c.urea / 32.5) * (0.5 if c.foreign != "clean" else 1.0)
    )
    return c.catalyst * min(1.0, dose) * (1.0 if thawed else 0.1)


def stop_leaks(c: Condition) -> float:
    return c.leaks.get("stop_actuator", 0.0)


def stop_s(c: Condition) -> float:
    """Seconds from key off to silence; a minute when it never stops."""
    reaches = vacuum_share(c) * (1 - stop_leaks(c)) * (1 - c.leaks.get("stop_line", 0.0)) * c.key_passes
    return 60.0 if not c.rack_free or reaches < 0.2 else 1.2 / reaches**1.6
