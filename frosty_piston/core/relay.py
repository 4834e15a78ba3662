"""The glow relay at its four points: feed, supply, command, output."""

from dataclasses import dataclass
from statistics import median

from .electrical import contact
from .quantity import Judgement, meter_uncertainty, plain

FEED_DROP_V = 0.3
CONTACT_DROP_V = 0.5
WELDED_AFTER_S = 180.0
SUPPLY_SHARE, COMMAND_SHARE = 0.75, 0.5
DEAD_V = 1.0
LEAST_V, MOST_V = -1.0, 40.0
POINTS = ("battery", "feed", "supply", "command", "output")


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
    steps = (_impossible_point, _welded, _feed, _output, _supply, _not_carried)
    return next(judged for step in steps if (judged := step(points, control, meter)))


def _told(
    verdict: str, cls: str, because: str, value: float | None = None, u: float | None = None
) -> Judgement:
    return Judgement(verdict, cls, value, "V", u, because)


def _missing(what: str) -> Judgement:
    return _told("unclear", "unclear", f"Read the {what} next: without it the table cannot decide.")


def _impossible_point(points: RelayPoints, control: str, meter: VoltMeter) -> Judgement | None:
    for name in POINTS:
        volts = getattr(points, name)
        if volts is not None and not LEAST_V <= volts <= MOST_V:
            says = (
                f"{plain(volts)} V at the {name} cannot be on this vehicle: check range and probes, read"
                " again."
            )
            return _told("implausible", "implausible", says, volts, meter.u(volts))
    return None


def _welded(points: RelayPoints, control: str, meter: VoltMeter) -> Judgement | None:
    stays_s = points.output_on_s
    if stays_s is None or stays_s <= WELDED_AFTER_S:
        return None
    says = (
        f"The output stays live for {plain(stays_s)} s: contacts welded together; it burns plugs and empties"
        " the battery."
    )
    return Judgement("failed", "welded", stays_s, "s", None, says)


def _feed(points: RelayPoints, control: str, meter: VoltMeter) -> Judgement | None:
    """The feed stud against the battery: lost, too near to call, or there (None)."""
    if points.feed is None or points.battery is None:
        both = points.feed is None and points.battery is None
        one = "feed stud" if points.feed is None else "battery"
        return _missing("battery and the feed stud" if both else one)
    drop, u = points.battery - points.feed, meter.u(points.battery)
    if drop - u > FEED_DROP_V:
        says = (
            f"The feed stud holds {plain(points.feed)} V, {plain(drop)} V under the battery (0.3 V allowed):"
            " feed wire, fuse or stud."
        )
        return _told("failed", "glow_feed_lost", says, drop, u)
    if drop + u > FEED_DROP_V:
        says = f"The feed drops {plain(drop)} V, within {plain(u)} V of the 0.3 V allowed: repeat under load."
        return _told("unclear", "unclear", says, drop, u)
    return None


def _loss(points: RelayPoints) -> float | None:
    return None if points.output is None or points.feed is None else points.feed - points.output


def _output(points: RelayPoints, control: str, meter: VoltMeter) -> Judgement | None:
    """An output that holds, with load or without; None when it does not hold or was not read."""
    loss, u = _loss(points), meter.u(points.battery or 0.0)
    if loss is None or points.output is None or loss > FEED_DROP_V:
        return None
    if not points.loaded:
        says = (
            f"{plain(points.output)} V at the output, but nothing hung on it: a burnt contact still shows"
            " voltage without load. Connect the plugs and read again."
        )
        return _told("unclear", "unclear", says, loss, u)
    says = (
        f"The output holds {plain(points.output)} V with the plugs on, {plain(max(0.0, loss))} V under the"
        " feed: the relay carries. Look at harness and plugs."
    )
    return _told("sound", "sound", says, loss, u)


def _supply(points: RelayPoints, control: str, meter: VoltMeter) -> Judgement | None:
    """The key supply, and whether the output was read at all."""
    if points.supply is None:
        return _missing("key supply pin")
    if points.supply < SUPPLY_SHARE * (points.battery or 0.0):
        says = (
            f"Feed is there, but the supply pin holds only {plain(points.supply)} V with the key on: fuse or"
            " wire from the key."
        )
        return _told("failed", "key_supply_lost", says, points.supply, meter.u(points.supply))
    return _missing("output stud, with the plugs connected") if points.output is None else None


def _not_carried(points: RelayPoints, control: str, meter: VoltMeter) -> Judgement:
    """Feed and supply are there and the output is not: module, order, coil or contacts."""
    output = points.output or 0.0
    dead = "nothing comes out" if output < DEAD_V else "the output is too low"
    if control == "electronic_module":
        says = (
            f"Feed and supply are there and {dead} ({plain(output)} V): the electronic module, if its command"
            " wire is whole. A pulsed output reads low on a meter: confirm with a clamp."
        )
        return _told("failed", "glow_module_failed", says, output, meter.u(output))
    if points.command is None and control != "timer_relay":
        return _missing("command pin while the lamp is on")
    if points.command is not None and points.command > COMMAND_SHARE * (points.battery or 0.0):
        says = (
            f"The command pin is never pulled low ({plain(points.command)} V): sensor reads hot, module or"
            " wire. The relay waits for an order."
        )
        return _told("failed", "glow_control_missing", says, points.command, meter.u(points.command))
    if points.click is None:
        return _missing("click (hand on the relay)")
    if not points.click:
        says = "Feed, supply and command are there and it does not click: the relay does not pull in."
        return _told("failed", "glow_relay_coil", says, output, meter.u(output))
    return _contacts(points, output, dead, meter.u(points.battery or 0.0))


def _contacts(points: RelayPoints, output: float, dead: str, u: float) -> Judgement:
    """It is ordered and clicks, and the output does not hold: how badly the contacts carry."""
    feed, loss = points.feed or 0.0, _loss(points) or 0.0
    if output >= DEAD_V and loss <= CONTACT_DROP_V + u:
        near = loss + u > CONTACT_DROP_V
        says = (
            f"The contacts drop {plain(loss)} V, between the 0.3 V of a good relay and the 0.5 V of a burnt"
            " one: repeat with all plugs on."
        )
        verdict, cls = ("unclear", "unclear") if near else ("marginal", "glow_relay_contacts")
        return _told(verdict, cls, says, loss, u)
    heat = ""
    if points.current_a and points.current_a > 0:
        burnt = contact(feed, output, points.current_a)
        milliohm, watts = plain(burnt.resistance_ohm * 1000), plain(burnt.heat_w)
        heat = f" That is {milliohm} milliohm, {watts} W of heat in the contact."
    load = "" if points.loaded else " Repeat with the plugs connected to be sure."
    says = (
        f"It clicks, and {dead} ({plain(output)} V against {plain(feed)} V at the feed): a click is no proof,"
        f" the contacts do not carry.{heat}{load}"
    )
    return _told("failed", "glow_relay_contacts", says, loss, u)


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
    u, ref_v = meter.u(volts), points.battery if points.battery is not None else points.feed
    if not LEAST_V <= volts <= MOST_V:
        says = f"{plain(volts)} V cannot be on this vehicle: check range and probes."
        return _told("implausible", "implausible", says, volts, u)
    if name == "battery":
        return _told("sound", "reference", f"{plain(volts)} V: the reference for the other points.", volts, u)
    if ref_v is None:
        return _told(
            "unclear", "unclear", "Read the battery first: the others are held against it.", volts, u
        )
    if name == "output":
        above_v = points.feed if points.feed is not None else ref_v
        return _told(*_output_alone(volts, above_v, points.loaded), volts, u)
    alone = {"feed": _feed_alone, "supply": _supply_alone, "command": _command_alone}
    return _told(*alone[name](volts, ref_v, u), volts, u)


def _feed_alone(volts: float, ref_v: float, u: float) -> tuple[str, str, str]:
    drop = ref_v - volts
    if drop - u > FEED_DROP_V:
        return "failed", "low", f"{plain(drop)} V under the battery; 0.3 V allowed."
    if drop + u > FEED_DROP_V:
        says = f"{plain(drop)} V under the battery, too near the 0.3 V allowed to call."
        return "unclear", "unclear", says
    return "sound", "sound", f"{plain(max(0.0, drop))} V under the battery; 0.3 V allowed."


def _supply_alone(volts: float, ref_v: float, u: float) -> tuple[str, str, str]:
    if volts >= SUPPLY_SHARE * ref_v:
        return "sound", "present", "Key supply is there."
    return "failed", "missing", "Key supply is missing with the key on."


def _command_alone(volts: float, ref_v: float, u: float) -> tuple[str, str, str]:
    if volts <= COMMAND_SHARE * ref_v:
        return "sound", "low", "Pulled low: the relay is ordered on."
    return "failed", "never_low", "Not pulled low: no order at this moment. Cycle the key and watch it."


def _output_alone(volts: float, above_v: float, loaded: bool) -> tuple[str, str, str]:
    loss = above_v - volts
    if loss <= FEED_DROP_V and loaded:
        says = f"{plain(max(0.0, loss))} V under the feed with the plugs on: it carries."
        return "sound", "carries", says
    if loss <= FEED_DROP_V:
        says = "Voltage without load proves nothing: connect the plugs and read again."
        return "unclear", "unloaded", says
    verdict, cls = "marginal" if loss <= CONTACT_DROP_V else "failed", "drops" if volts >= DEAD_V else "dead"
    return verdict, cls, f"{plain(loss)} V lost in the relay; 0.3 V allowed."


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
    middle = median(temps_c.values())
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
