"""The glow relay at its four points: feed, supply, command, output."""

from dataclasses import dataclass

from .electrical import contact
from .quantity import Judgement, meter_uncertainty, plain

FEED_DROP_V = 0.3
CONTACT_DROP_V = 0.5
WELDED_AFTER_S = 180.0


@dataclass(frozen=True, slots=True)
class RelayPoints:
    """What was read at the relay, in V; None for what was not read.

    `click` is True, False or None. `loaded` tells whether the plugs hung on the output. `current_a` is the
    total plug current if it was clamped; `output_on_s` how long the output stayed live.
    """

    battery: float | None = None
    feed: float | None = None
    supply: float | None = None
    command: float | None = None
    output: float | None = None
    click: bool | None = None
    loaded: bool = False
    current_a: float | None = None
    output_on_s: float | None = None


@dataclass(frozen=True, slots=True)
class VoltMeter:
    """A voltmeter's accuracy: percent, digits and the last digit's step in V (general figures)."""

    accuracy_percent: float = 0.3
    accuracy_digits: float = 2.0
    resolution_v: float = 0.01

    def u(self, volts: float) -> float:
        return meter_uncertainty(volts, self.accuracy_percent, self.accuracy_digits, self.resolution_v)


def judge_relay(
    points: RelayPoints, control: str = "relay_module", meter: VoltMeter | None = None
) -> Judgement:
    """Judge the relay by the four-point table, from the feed onwards; the first thing missing decides.

    Parameters: the points; the card's glow control (`timer_relay`, `relay_module`, `electronic_module`); the
    voltmeter. Classes: glow_feed_lost, key_supply_lost, glow_control_missing, glow_relay_coil,
    glow_relay_contacts, glow_module_failed, welded, sound, unclear. Never guesses: a missing point that would
    decide gives `unclear` and is named. A click is no proof that contacts carry, output without load neither.

    >>> judge_relay(RelayPoints(12.4, 12.3, 12.2, 0.2, 0.0, True, True)).cls
    'glow_relay_contacts'
    >>> judge_relay(RelayPoints(12.4, 12.3, 12.2, 0.2, 12.1, True, False)).cls
    'unclear'
    """
    meter = meter or VoltMeter()
    for name in ("battery", "feed", "supply", "command", "output"):
        volts = getattr(points, name)
        if volts is not None and not -1 <= volts <= 40:
            return Judgement(
                "implausible",
                "implausible",
                volts,
                "V",
                meter.u(volts),
                f"{plain(volts)} V at the {name} cannot be on this vehicle: check range and probes, read"
                " again.",
            )
    if points.output_on_s is not None and points.output_on_s > WELDED_AFTER_S:
        return Judgement(
            "failed",
            "welded",
            points.output_on_s,
            "s",
            None,
            f"The output stays live for {plain(points.output_on_s)} s: contacts welded together; it burns"
            " plugs and empties the battery.",
        )
    electronic = control == "electronic_module"
    ref_v = points.battery

    def told(
        verdict: str, cls: str, because: str, value: float | None = None, u: float | None = None
    ) -> Judgement:
        return Judgement(verdict, cls, value, "V", u, because)

    def missing(what: str) -> Judgement:
        return told("unclear", "unclear", f"Read the {what} next: without it the table cannot decide.")

    if points.feed is None or ref_v is None:
        return missing(
            "battery and the feed stud"
            if points.feed is None and ref_v is None
            else "feed stud"
            if points.feed is None
            else "battery"
        )
    drop, u = ref_v - points.feed, meter.u(ref_v)
    if drop - u > FEED_DROP_V:
        return told(
            "failed",
            "glow_feed_lost",
            f"The feed stud holds {plain(points.feed)} V, {plain(drop)} V under the battery (0.3 V allowed): "
            "feed wire, fuse or stud.",
            drop,
            u,
        )
    if drop + u > FEED_DROP_V:
        return told(
            "unclear",
            "unclear",
            f"The feed drops {plain(drop)} V, within {plain(u)} V of the 0.3 V allowed: repeat under load.",
            drop,
            u,
        )
    loss = None if points.output is None else points.feed - points.output
    if loss is not None and loss <= FEED_DROP_V:
        if not points.loaded:
            return told(
                "unclear",
                "unclear",
                f"{plain(points.output)} V at the output, but nothing hung on it: a burnt contact still shows"
                " voltage without load. Connect the plugs and read again.",
                loss,
                u,
            )
        return told(
            "sound",
            "sound",
            f"The output holds {plain(points.output)} V with the plugs on, {plain(max(0.0, loss))} V under"
            " the feed: the relay carries. Look at harness and plugs.",
            loss,
            u,
        )
    if points.supply is None:
        return missing("key supply pin")
    if points.supply < 0.75 * ref_v:
        return told(
            "failed",
            "key_supply_lost",
            f"Feed is there, but the supply pin holds only {plain(points.supply)} V with the key on: fuse or"
            " wire from the key.",
            points.supply,
            meter.u(points.supply),
        )
    dead = "nothing comes out" if points.output is not None and points.output < 1 else "the output is too low"
    if points.output is None:
        return missing("output stud, with the plugs connected")
    if electronic:
        return told(
            "failed",
            "glow_module_failed",
            f"Feed and supply are there and {dead} ({plain(points.output)} V): the electronic module, if its "
            "command wire is whole. A pulsed output reads low on a meter: confirm with a clamp.",
            points.output,
            meter.u(points.output),
        )
    if points.command is None and control != "timer_relay":
        return missing("command pin while the lamp is on")
    if points.command is not None and points.command > 0.5 * ref_v:
        return told(
            "failed",
            "glow_control_missing",
            f"The command pin is never pulled low ({plain(points.command)} V): sensor reads hot, module or"
            " wire. The relay waits for an order.",
            points.command,
            meter.u(points.command),
        )
    if points.click is None:
        return missing("click (hand on the relay)")
    if not points.click:
        return told(
            "failed",
            "glow_relay_coil",
            "Feed, supply and command are there and it does not click: the relay does not pull in.",
            points.output,
            meter.u(points.output),
        )
    if points.output >= 1 and loss is not None and loss <= CONTACT_DROP_V + u:
        return told(
            "unclear" if loss + u > CONTACT_DROP_V else "marginal",
            "unclear" if loss + u > CONTACT_DROP_V else "glow_relay_contacts",
            f"The contacts drop {plain(loss)} V, between the 0.3 V of a good relay and the 0.5 V of a burnt"
            " one: repeat with all plugs on.",
            loss,
            u,
        )
    heat = ""
    if points.current_a and loss is not None and points.current_a > 0:
        found = contact(points.feed, points.output, points.current_a)
        heat = (
            f" That is {plain(found.resistance_ohm * 1000)} milliohm, {plain(found.heat_w)} W of heat in the"
            " contact."
        )
    load = "" if points.loaded else " Repeat with the plugs connected to be sure."
    return told(
        "failed",
        "glow_relay_contacts",
        f"It clicks, and {dead} ({plain(points.output)} V against {plain(points.feed)} V at the feed): "
        f"a click is no proof, the contacts do not carry.{heat}{load}",
        loss,
        u,
    )


def judge_point(points: RelayPoints, name: str, meter: VoltMeter | None = None) -> Judgement:
    """Judge one point of the relay by itself, as far as it can be: `battery`, `feed`, `supply`, `command`,
    `output`.

    >>> p = RelayPoints(12.4, 11.8, 12.2, 12.3, 0.0)
    >>> [judge_point(p, n).verdict for n in ("feed", "supply", "command", "output")]
    ['failed', 'sound', 'failed', 'failed']
    """
    meter = meter or VoltMeter()
    volts = getattr(points, name)
    if volts is None:
        raise ValueError(f"nothing was read at the {name}")
    u = meter.u(volts)
    if not -1 <= volts <= 40:
        return Judgement(
            "implausible",
            "implausible",
            volts,
            "V",
            u,
            f"{plain(volts)} V cannot be on this vehicle: check range and probes.",
        )
    ref_v = points.battery if points.battery is not None else points.feed

    def told(verdict: str, cls: str, because: str) -> Judgement:
        return Judgement(verdict, cls, volts, "V", u, because)

    if name == "battery":
        return told("sound", "reference", f"{plain(volts)} V: the reference for the other points.")
    if ref_v is None:
        return told("unclear", "unclear", "Read the battery first: the others are held against it.")
    if name == "feed":
        drop = ref_v - volts
        if drop - u > FEED_DROP_V:
            return told("failed", "low", f"{plain(drop)} V under the battery; 0.3 V allowed.")
        if drop + u > FEED_DROP_V:
            return told(
                "unclear",
                "unclear",
                f"{plain(drop)} V under the battery, too near the 0.3 V allowed to call.",
            )
        return told("sound", "sound", f"{plain(max(0.0, drop))} V under the battery; 0.3 V allowed.")
    if name == "supply":
        there = volts >= 0.75 * ref_v
        return told(
            "sound" if there else "failed",
            "present" if there else "missing",
            "Key supply is there." if there else "Key supply is missing with the key on.",
        )
    if name == "command":
        low = volts <= 0.5 * ref_v
        return told(
            "sound" if low else "failed",
            "low" if low else "never_low",
            (
                "Pulled low: the relay is ordered on."
                if low
                else "Not pulled low: no order at this moment. Cycle the key and watch it."
            ),
        )
    loss = (points.feed if points.feed is not None else ref_v) - volts
    if loss <= FEED_DROP_V and points.loaded:
        return told(
            "sound", "carries", f"{plain(max(0.0, loss))} V under the feed with the plugs on: it carries."
        )
    if loss <= FEED_DROP_V:
        return told(
            "unclear", "unloaded", "Voltage without load proves nothing: connect the plugs and read again."
        )
    return told(
        "marginal" if loss <= CONTACT_DROP_V else "failed",
        "drops" if volts >= 1 else "dead",
        f"{plain(loss)} V lost in the relay; 0.3 V allowed.",
    )


def general_on_time_s(glow: str, coolant_c: float) -> tuple[float, float]:
    """Answer the usual pre-glow time in s at a coolant temperature, lowest and highest (general).

    Rod plugs: 2 to 4 s at 20 C, 6 to 9 at 0, 9 to 14 at -10, 14 to 22 at -20, straight between and level
    beyond; fast and ceramic plugs 1 to 3 s at any.

    >>> general_on_time_s("rod_12v", -5), general_on_time_s("ceramic", -20)
    ((7.5, 11.5), (1.0, 3.0))
    """
    if glow != "rod_12v":
        return 1.0, 3.0
    table = [(-20.0, 14.0, 22.0), (-10.0, 9.0, 14.0), (0.0, 6.0, 9.0), (20.0, 2.0, 4.0)]
    t = min(max(coolant_c, table[0][0]), table[-1][0])
    for (t0, low0, high0), (t1, low1, high1) in zip(table, table[1:], strict=False):
        if t <= t1:
            k = (t - t0) / (t1 - t0)
            return low0 + k * (low1 - low0), high0 + k * (high1 - high0)
    return table[-1][1], table[-1][2]


def judge_on_time(seconds: float, glow: str, coolant_c: float | None, point: str) -> Judgement:
    """Judge how long the lamp or the relay output stayed on. Classes: absent, short_time, long_time, welded,
    sound.

    >>> judge_on_time(20, "rod_12v", 20, "lamp").cls, judge_on_time(8, "rod_12v", 0, "lamp").verdict
    ('long_time', 'sound')
    """
    if seconds < 0 or seconds > 3600 * 24:
        return Judgement(
            "implausible",
            "implausible",
            seconds,
            "s",
            None,
            f"{plain(seconds)} s is no glow time: read it again.",
        )
    if point == "output" and seconds > WELDED_AFTER_S:
        return Judgement(
            "failed",
            "welded",
            seconds,
            "s",
            1.0,
            f"The output stayed live {plain(seconds)} s: welded contacts burn the plugs.",
        )
    if coolant_c is None:
        return Judgement(
            "unclear",
            "unclear",
            seconds,
            "s",
            1.0,
            "Enter the coolant temperature: the right time hangs on it.",
        )
    low, high = general_on_time_s(glow, coolant_c)
    says = (
        f"{plain(seconds)} s at {plain(coolant_c)} degC; {plain(low)} to {plain(high)} s is usual (general)."
    )
    if seconds < 0.5:
        return Judgement(
            "failed",
            "absent",
            seconds,
            "s",
            0.5,
            f"{says} Never on: several plugs open, no command, or the bulb.",
        )
    if point == "output" and seconds > high * 2:
        return Judgement(
            "unclear",
            "unclear",
            seconds,
            "s",
            1.0,
            f"{says} Longer than pre-glow: it may be after-glow; count until the lamp goes out too.",
        )
    if seconds > high * 1.5:
        return Judgement(
            "failed",
            "long_time",
            seconds,
            "s",
            1.0,
            f"{says} Far too long: the control unit believes it is colder than it is; check the coolant"
            " sensor.",
        )
    if seconds < low * 0.5:
        return Judgement(
            "failed",
            "short_time",
            seconds,
            "s",
            1.0,
            f"{says} Far too short: the control unit believes it is warm; check the coolant sensor.",
        )
    return Judgement("sound", "sound", seconds, "s", 1.0, says)


def judge_soak(temps_c: dict[str, float], soaked_h: float | None) -> dict[str, Judgement]:
    """Judge temperature readings after a cold soak: all agree within 5 C of their middle, the odd one is
    wrong.

    Parameters: reading in C by channel (at least three to name an odd one); hours standing (8 wanted).

    >>> judge_soak({"coolant": 41, "intake": -6, "ambient": -7, "fuel": -6}, 9)["coolant"].cls
    'odd_one_out'
    """
    ordered = sorted(temps_c.values())
    middle = (
        ordered[len(ordered) // 2]
        if len(ordered) % 2
        else (ordered[len(ordered) // 2 - 1] + ordered[len(ordered) // 2]) / 2
    )
    found: dict[str, Judgement] = {}
    for channel, t in temps_c.items():
        if not -60 <= t <= 1300:
            found[channel] = Judgement(
                "implausible",
                "implausible",
                t,
                "degC",
                None,
                f"{plain(t)} degC cannot be: sensor wire open or short, or a typing slip.",
            )
        elif soaked_h is not None and soaked_h < 8:
            found[channel] = Judgement(
                "unclear",
                "unclear",
                t,
                "degC",
                1.0,
                f"Only {plain(soaked_h)} h standing; after 8 h all sensors should agree within 5 degC.",
            )
        elif len(temps_c) < 3:
            found[channel] = Judgement(
                "unclear",
                "unclear",
                t,
                "degC",
                1.0,
                "Read at least three sensors: only then does an odd one show.",
            )
        elif abs(t - middle) > 5:
            found[channel] = Judgement(
                "failed",
                "odd_one_out",
                t,
                "degC",
                1.0,
                f"{plain(t)} degC while the others agree near {plain(middle)} degC after standing: this"
                " sensor or its wires lie.",
            )
        else:
            found[channel] = Judgement(
                "sound", "sound", t, "degC", 1.0, f"{plain(t)} degC, within 5 degC of the others."
            )
    return found
