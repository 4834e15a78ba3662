"""What follows from the condition of a simulated vehicle: voltages, speeds, heat, pressures and flows."""

from .condition import Condition

STARTER_A = 260.0
HOT_TIMES = 1.35
SAG_V = 0.5
PASS = 9.0


def starter_a(state: Condition) -> float:
    """Current of the starter, A, at 12 V; cold oil drags."""
    cold = 1 + max(0.0, 10 - state.ambient_c) * 0.006
    return float(STARTER_A * state.starter_load**0.6 * cold * (1 if state.warm else 1.05))


def crank_v(state: Condition) -> float:
    """Voltage of one battery while cranking, V."""
    cold = 1 + max(0.0, 10 - state.ambient_c) * 0.02
    return state.ocv_v - starter_a(state) * state.battery_ohm * cold


def cable_drop_v(state: Condition, side: str) -> float:
    return starter_a(state) * state.cable_ohm[side]


def crank_rpm(state: Condition) -> float:
    volts = crank_v(state) - cable_drop_v(state, "positive") - cable_drop_v(state, "ground")
    return max(0.0, float(225 * (max(0.1, volts) / 10.6) ** 1.3 / state.starter_load))


# glow


def path_ohm(state: Condition, i: int) -> float:
    return float("inf") if i in state.glow_wire_open else state.plug_ohm[i] + 0.02


def glow_works(state: Condition) -> bool:
    """Whether the relay or module gives anything out."""
    return state.glow_ordered and state.glow_pulls_in and state.glow_module and state.glow_feed > 0


def glow_v(state: Condition) -> float:
    """Voltage that the plugs get, V: the supply divides between contacts and plugs."""
    if not glow_works(state):
        return 0.0
    if state.card.glow_control == "electronic_module":
        return {"fast_7v": 7.0, "fast_5v": 5.0}.get(state.card.glow or "", 11.4) * state.glow_feed
    load = sum(1 / (HOT_TIMES * path_ohm(state, i)) for i in range(state.cylinders))
    return feed_v(state) / (1 + state.glow_contact_ohm * load)


def feed_v(state: Condition) -> float:
    """Voltage at the feed stud with the plugs on, V."""
    return (state.ocv_v - SAG_V) * state.glow_feed


def plug_a(state: Condition, i: int) -> float:
    """Current of a plug once it is hot, A: its resistance rises."""
    return glow_v(state) / (HOT_TIMES * path_ohm(state, i))


def heat(state: Condition, i: int) -> float:
    """How much of its heat the tip of a plug gets, 0 to 1."""
    whole = {"fast_7v": 7.0, "fast_5v": 5.0}.get(state.card.glow or "", 11.0)
    usual = state.card.glow_nominal_ohm or {"fast_7v": 0.45, "fast_5v": 0.3, "ceramic": 0.6}.get(
        state.card.glow or "", 0.85
    )
    ordered = 1.0 if state.coolant_error_c < 30 else 0.35
    share = (plug_a(state, i) ** 2 * HOT_TIMES**2 * min(state.plug_ohm[i], 1e6)) / (whole**2 / usual)
    return min(1.0, share) * state.tip_share[i] * ordered


def cold_aid(state: Condition, i: int) -> float:
    if state.card.glow in (None, "none"):
        return 1.0 if state.heater_warms or not state.card.intake_heater else 0.0
    return heat(state, i)


def needs_heat(state: Condition) -> float:
    """How much a cold start leans on the glow, 0 to 1: by ambient and by the kind of combustion."""
    if state.warm:
        return 0.0
    starts_at, slope = (25.0, 18.0) if state.card.combustion == "prechamber" else (6.0, 16.0)
    return min(1.0, max(0.0, (starts_at - state.ambient_c) / slope))


def rail_crank_bar(state: Condition) -> float:
    speed = min(1.0, crank_rpm(state) / 180)
    return 320 * state.rail_build * supply(state) * min(1.0, state.high_pump + 0.1) * (0.5 + 0.5 * speed)


def supply(state: Condition) -> float:
    """Share of the fuel that reaches the high-pressure side when it is asked little."""
    waxed = state.filter_choked * (1.0 if state.ambient_c < -8 else 0.45)
    return max(0.0, min(1.0, state.lift * 1.15) * (1 - 0.7 * state.air_in_fuel) * (1 - 0.6 * waxed))


def fires(state: Condition, i: int) -> float:
    """How readily a cylinder fires at the start, 0 to 1."""
    if i in state.coil_open:
        return 0.0
    chance = 1 - needs_heat(state) * (1 - cold_aid(state, i))
    chance *= min(1.0, max(0.0, (state.compression[i] - 0.4) / 0.4)) if not state.warm else 1.0
    if state.card.injection in ("rail_solenoid", "rail_piezo"):
        chance *= min(1.0, max(0.0, (rail_crank_bar(state) - 100) / 90))
    else:
        chance *= supply(state)
    chance *= min(1.0, max(0.0, (crank_rpm(state) - 95) / 55))
    if state.card.injection == "hydraulic_unit" and not state.warm:
        chance *= (1 - 0.85 * state.spool_sticks) * min(1.0, state.oil_bar + 0.2)
    return float(chance)


def start_quality(state: Condition) -> float:
    return sum(fires(state, i) for i in range(state.cylinders)) / state.cylinders


# air, boost, recirculation


def egr_open_percent(state: Condition, asked: float) -> float:
    """Where the valve stands when it is asked somewhere, percent."""
    if not state.egr_driven:
        return state.egr_rest
    return state.egr_rest + max(0.0, asked - state.egr_rest) * state.egr_moves


def egr_gas(state: Condition, asked: float) -> float:
    """Share of the charge that is exhaust gas."""
    return float(0.42 * (egr_open_percent(state, asked) / 100) ** 0.7 * state.egr_flow * state.cooler_flow)


def vacuum_share(state: Condition) -> float:
    """What is left of a sound circuit's vacuum at its consumers."""
    if state.check_valve == "shut":
        return 0.1
    lost = state.hose_vac_leak + 0.5 * sum(state.leaks.values())
    return max(0.0, min(1.0, state.pump / 0.93) * (1 - 0.7 * min(1.0, lost)))


def vane_reach(state: Condition) -> float:
    """How well the turbo is driven to where it is asked, 0 to 1."""
    if state.card.turbo == "vgt_electric":
        drive = (
            state.vane_motor * (0.55 if state.dead_spot else 1.0) * (0.6 if state.vane_plug_loose else 1.0)
        )
    else:
        vacuum = vacuum_share(state) if state.card.turbo == "vgt_vacuum" else 1.0
        drive = (1 - state.can_leak) * state.boost_solenoid * vacuum
    return max(0.0, drive * (1 - 0.4 * state.vanes_stick) * (1 - 0.015 * state.vane_offset))


def boost_share(state: Condition) -> float:
    """Boost got of boost asked in a pull, 0 to 1.3."""
    if state.card.turbo in (None, "none"):
        return 1.0
    got = (
        (0.25 + 0.8 * vane_reach(state))
        * state.turbo
        * (1 - 0.75 * state.hose_leak)
        * (1 - 0.5 * state.filter_loss)
    )
    got *= (
        (1 - 0.3 * state.port_choked)
        * (1 - 0.35 * state.flap_carbon)
        * (1 - 0.004 * max(0.0, state.soot_g - 25))
    )
    return float(min(1.02, got))


def overboosts(state: Condition) -> bool:
    return state.vgt and state.vanes_stick > 0.55 or state.vane_offset > 15


def air_share(state: Condition) -> float:
    """Fresh air that the engine gets of what it should, EGR ordered shut."""
    rest = egr_gas(state, 0.0)
    return (1 - rest) * (1 - 0.25 * state.filter_loss) * (1 - 0.2 * state.port_choked)


def smoke_black(state: Condition) -> float:
    short = (
        max(0.0, 1 - boost_share(state)) * 0.8 + max(0.0, 1 - air_share(state)) * 0.9 + 0.1 * len(state.drips)
    )
    return float(short + 0.5 * max(0.0, 1 - state.maf_gain) * 0.3 + (0.35 if state.drips else 0.0))


def power(state: Condition) -> float:
    fuel = min(1.0, state.high_pump + 0.12) * (1 - 0.7 * state.filter_choked) * min(1.0, state.lift + 0.25)
    got = min(boost_share(state), 1.0) * fuel * (1 - 0.25 * max(0.0, 1 - air_share(state)))
    weak = (
        sum(1 for i in range(state.cylinders) if i in state.coil_open or state.compression[i] < 0.75)
        / state.cylinders
    )
    metered = min(1.0, state.maf_gain + 0.05) * (1 - 0.006 * abs(state.map_error_kpa))
    return float(
        got
        * (1 - weak)
        * metered
        * (1 - 0.006 * max(0.0, state.soot_g - 25) - 0.004 * max(0.0, state.ash_g - 50))
    )


def uneven(state: Condition) -> list[float]:
    """How far each cylinder's work is off at idle, in mm3 of correction."""
    off = []
    for i in range(state.cylinders):
        more = state.trim_error.get(i, 0.0) - state.drips.get(i, 0.0) + (3.0 if i in state.blows_by else 0.0)
        more += 14.0 * max(0.0, 0.93 - state.compression[i])
        off.append(more if i not in state.coil_open else PASS)
    return off


def exhaust_backs(state: Condition, q_m3h: float) -> float:
    """True pressure drop over the filter, kPa."""
    if state.brick_cracked:
        return 0.002 * q_m3h * 0.1
    load = 0.0035 * (1 + 0.055 * max(0.0, state.soot_g) + 0.028 * max(0.0, state.ash_g))
    return load * q_m3h + 1.1e-5 * q_m3h**2


def nox_cut(state: Condition) -> float:
    thawed = state.def_heats or state.ambient_c > -8
    dose = (
        state.spray
        * min(1.0, state.def_bar / 5.0)
        * min(1.0, state.urea / 32.5)
        * (0.5 if state.foreign != "clean" else 1.0)
    )
    return state.catalyst * min(1.0, dose) * (1.0 if thawed else 0.1)


def stop_leaks(state: Condition) -> float:
    return state.leaks.get("stop_actuator", 0.0)


def stop_s(state: Condition) -> float:
    """Seconds from key off to silence; a minute when it never stops."""
    reaches = (
        vacuum_share(state)
        * (1 - stop_leaks(state))
        * (1 - state.leaks.get("stop_line", 0.0))
        * state.key_passes
    )
    return 60.0 if not state.rack_free or reaches < 0.2 else 1.2 / reaches**1.6
