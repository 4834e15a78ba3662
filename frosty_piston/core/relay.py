"""The glow relay at its four points: feed, supply, command, output."""

from dataclasses import dataclass
from statistics import median

from .electrical import contact
from .limits import Limit, Points, between
from .quantity import Judgement, hours_said, meter_uncertainty, plain
from .words import sentence

POINTS = ("battery", "feed", "supply", "command", "output")


@dataclass(frozen=True, slots=True)
class RelayLimits:
    """The figures that judge a glow relay, its on-time and sensors after a cold soak. `on_time_low_s`,
    `on_time_high_s`: usual pre-glow time of rod plugs by coolant temperature in C."""

    feed_drop_v: Limit
    contact_drop_v: Limit
    welded_after_s: Limit
    supply_share: Limit
    command_share: Limit
    dead_v: Limit
    held_share: Limit
    least_v: Limit
    most_v: Limit
    over_battery_v: Limit
    on_time_low_s: Points
    on_time_high_s: Points
    fast_low_s: Limit
    fast_high_s: Limit
    most_on_time_s: Limit
    never_on_s: Limit
    afterglow_times: Limit
    long_times: Limit
    short_times: Limit
    soak_h: Limit
    soak_agree_c: Limit
    soak_least_c: Limit
    soak_most_c: Limit


@dataclass(frozen=True, slots=True)
class RelayPoints:
    """What was read at the relay, in V; None for what was not read.

    `click` is True, False or None. `loaded` tells whether the plugs hung on the output. `current_a` is the
    total plug current if it was clamped; `output_on_s` how long the output stayed live. `held_v`: the
    voltage at which a module holds plugs of less than battery voltage, as a meter averages its pulses; None
    where the whole battery goes through.
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
    held_v: float | None = None

    @property
    def pulsed_in_order(self) -> str:
        """What a pulsed output that stands as it should says, without its figure; empty for any other."""
        return (
            ""
            if self.held_v is None
            else f"the module pulses it down to the {plain(self.held_v)} V of its plugs"
        )


@dataclass(frozen=True, slots=True)
class VoltMeter:
    """A voltmeter's accuracy: percent, digits and the last digit's step in V (general figures)."""

    accuracy_percent: float = 0.3
    accuracy_digits: float = 2.0
    resolution_v: float = 0.01

    def u(self, volts: float) -> float:
        """Return the uncertainty of what it shows, V.

        Parameters: `volts`: shown value in V. Source: `meter_uncertainty`.

        >>> round(VoltMeter().u(12.4), 3)
        0.057
        """
        return meter_uncertainty(volts, self.accuracy_percent, self.accuracy_digits, self.resolution_v)


def judge_relay(
    points: RelayPoints, limits: RelayLimits, control: str = "relay_module", meter: VoltMeter | None = None
) -> Judgement:
    """Judge the relay by the four-point table, from the feed onwards; the first thing missing decides.

    Parameters: `points`: what was read at the relay; `limits`: the limits of the area; `control`: the card's
    glow control; `meter`: the meter, a general one when None. Source: the way a relay of a 60 A circuit is
    tested, figures in `figures/relay.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> judge_relay(RelayPoints(12.4, 12.3, 12.2, 0.2, 0.0, True, True), general(RelayLimits)).cls
    'glow_relay_contacts'
    >>> judge_relay(RelayPoints(12.4, 12.3, 12.2, 0.2, 12.1, True, False), general(RelayLimits)).cls
    'unclear'
    """
    meter = meter or VoltMeter()
    steps = (_impossible_point, _welded, _feed, _output, _supply, _not_carried)
    return next(judged for step in steps if (judged := step(points, limits, control, meter)))


def _told(
    verdict: str, cls: str, because: str, value: float | None = None, u: float | None = None
) -> Judgement:
    return Judgement(verdict, cls, value, unit="V", uncertainty=u, because=because)


def _missing(what: str) -> Judgement:
    return _told("unclear", "unclear", f"Read the {what} next: without it the table cannot decide.")


def _most_v(points: RelayPoints, name: str, limits: RelayLimits) -> float:
    """The most that can stand at a point: what its battery gives, and a little for a charge since."""
    if name == "battery" or points.battery is None:
        return limits.most_v
    return points.battery + limits.over_battery_v


def _impossible_point(
    points: RelayPoints, limits: RelayLimits, control: str, meter: VoltMeter
) -> Judgement | None:
    for name in POINTS:
        volts = getattr(points, name)
        if volts is not None and not limits.least_v <= volts <= _most_v(points, name, limits):
            says = (
                f"{plain(volts)} V at the {name} cannot be on this vehicle: check range and probes, read"
                " again."
            )
            return _told("implausible", "implausible", says, volts, meter.u(volts))
    return None


def _welded(points: RelayPoints, limits: RelayLimits, control: str, meter: VoltMeter) -> Judgement | None:
    stays_s = points.output_on_s
    if stays_s is None or stays_s <= limits.welded_after_s:
        return None
    says = (
        f"The output stays live for {plain(stays_s)} s: contacts welded together; it burns plugs and empties"
        " the battery."
    )
    return Judgement("failed", "welded", stays_s, unit="s", uncertainty=None, because=says)


def _feed(points: RelayPoints, limits: RelayLimits, control: str, meter: VoltMeter) -> Judgement | None:
    """The feed stud against the battery: lost, too near to call, or there (None)."""
    if points.feed is None or points.battery is None:
        both = points.feed is None and points.battery is None
        one = "feed stud" if points.feed is None else "battery"
        return _missing("battery and the feed stud" if both else one)
    drop = points.battery - points.feed
    u = meter.u(points.battery)
    allowed = plain(limits.feed_drop_v)
    if drop - u > limits.feed_drop_v:
        says = (
            f"The feed stud holds {plain(points.feed)} V, {plain(drop)} V under the battery ({allowed} V"
            " allowed): feed wire, fuse or stud."
        )
        return _told("failed", "glow_feed_lost", says, drop, u)
    if drop + u > limits.feed_drop_v:
        says = (
            f"The feed drops {plain(drop)} V, within {plain(u)} V of the {allowed} V allowed: repeat under"
            " load."
        )
        return _told("unclear", "unclear", says, drop, u)
    return None


def _loss(points: RelayPoints) -> float | None:
    return None if points.output is None or points.feed is None else points.feed - points.output


def _holds_pulsed(points: RelayPoints, limits: RelayLimits) -> bool:
    """Whether the output stands where a module holds its plugs by pulsing it."""
    if points.output is None or points.held_v is None:
        return False
    return points.output >= limits.held_share * points.held_v


def _output(points: RelayPoints, limits: RelayLimits, control: str, meter: VoltMeter) -> Judgement | None:
    """An output that holds, with load or without; None when it does not hold or was not read."""
    loss = _loss(points)
    u = meter.u(points.battery or 0.0)
    pulsed = _holds_pulsed(points, limits)
    if loss is None or points.output is None or loss > limits.feed_drop_v and not pulsed:
        return None
    if not points.loaded:
        says = (
            f"{plain(points.output)} V at the output, but nothing hung on it: a burnt contact still shows"
            " voltage without load. Connect the plugs and read again."
        )
        return _told("unclear", "unclear", says, loss, u)
    if pulsed and loss > limits.feed_drop_v:
        says = (
            f"The output holds {plain(points.output)} V with the plugs on: {points.pulsed_in_order}. A clamp"
            " on the plugs says whether the current follows."
        )
        return _told("sound", "sound", says, points.output, u)
    says = (
        f"The output holds {plain(points.output)} V with the plugs on, {plain(max(0.0, loss))} V under the"
        " feed: the relay carries. Look at harness and plugs."
    )
    return _told("sound", "sound", says, loss, u)


def _supply(points: RelayPoints, limits: RelayLimits, control: str, meter: VoltMeter) -> Judgement | None:
    """The key supply, and whether the output was read at all."""
    if points.supply is None:
        return _missing("key supply pin")
    if points.supply < limits.supply_share * (points.battery or 0.0):
        says = (
            f"Feed is there, but the supply pin holds only {plain(points.supply)} V with the key on: fuse or"
            " wire from the key."
        )
        return _told("failed", "key_supply_lost", says, points.supply, meter.u(points.supply))
    return _missing("output stud, with the plugs connected") if points.output is None else None


def _not_carried(points: RelayPoints, limits: RelayLimits, control: str, meter: VoltMeter) -> Judgement:
    """Feed and supply are there and the output is not: module, order, coil or contacts."""
    output = points.output or 0.0
    dead = "nothing comes out" if output < limits.dead_v else "the output is too low"
    if points.command is not None and points.command > limits.command_share * (points.battery or 0.0):
        says = (
            f"The command pin is never pulled low ({plain(points.command)} V): sensor reads hot, module or"
            " wire. It waits for an order."
        )
        return _told("failed", "glow_control_missing", says, points.command, meter.u(points.command))
    if control == "electronic_module":
        says = (
            f"Feed and supply are there and {dead} ({plain(output)} V): the electronic module, if its command"
            " wire is whole. A pulsed output reads low on a meter: confirm with a clamp."
        )
        return _told("failed", "glow_module_failed", says, output, meter.u(output))
    if points.command is None and control != "timer_relay":
        return _missing("command pin while the lamp is on")
    if points.click is None:
        return _missing("click (hand on the relay)")
    if not points.click:
        says = "Feed, supply and command are there and it does not click: the relay does not pull in."
        return _told("failed", "glow_relay_coil", says, output, meter.u(output))
    return _contacts(points, limits, output, dead, meter.u(points.battery or 0.0))


def _contacts(points: RelayPoints, limits: RelayLimits, output: float, dead: str, u: float) -> Judgement:
    """It is ordered and clicks, and the output does not hold: how badly the contacts carry."""
    feed = points.feed or 0.0
    loss = _loss(points) or 0.0
    if output >= limits.dead_v and loss <= limits.contact_drop_v + u:
        near = loss + u > limits.contact_drop_v
        says = (
            f"The contacts drop {plain(loss)} V, between the {plain(limits.feed_drop_v)} V of a good relay"
            f" and the {plain(limits.contact_drop_v)} V of a burnt one: repeat with all plugs on."
        )
        verdict, cls = ("unclear", "unclear") if near else ("marginal", "glow_relay_contacts")
        return _told(verdict, cls, says, loss, u)
    heat = ""
    if points.current_a and points.current_a > 0:
        burnt = contact(feed, output, points.current_a)
        milliohm = plain(burnt.resistance_ohm * 1000)
        watts = plain(burnt.heat_w)
        heat = f" That is {milliohm} milliohm, {watts} W of heat in the contact."
    load = "" if points.loaded else " Repeat with the plugs connected to be sure."
    says = (
        f"It clicks, and {dead} ({plain(output)} V against {plain(feed)} V at the feed): a click is no proof,"
        f" the contacts do not carry.{heat}{load}"
    )
    return _told("failed", "glow_relay_contacts", says, loss, u)


def judge_click(click: bool) -> Judgement:
    """Judge the click of the relay by itself: what pulls in has its order, its supply and a whole coil, and
    nothing is said of its contacts.

    Parameters: `click`: whether it was heard or felt. Source: domain rule.

    >>> judge_click(True).verdict, judge_click(False).cls
    ('sound', 'no_click')
    """
    if click:
        says = "It pulls in: order, supply and coil are good. A click says nothing of the contacts."
        return Judgement("sound", "click", None, unit=None, uncertainty=None, because=says)
    says = "It does not pull in: no order, no supply, or its coil. Read feed, supply and command."
    return Judgement("failed", "no_click", None, unit=None, uncertainty=None, because=says)


def judge_point(
    points: RelayPoints, name: str, limits: RelayLimits, meter: VoltMeter | None = None
) -> Judgement:
    """Judge one point of the relay by itself, as far as it can be: `battery`, `feed`, `supply`, `command`,
    `output`.

    Parameters: `points`: what was read at the relay; `name`: one of the points, read; `limits`: the limits of
    the area; `meter`: the meter, a general one when None. Raises ValueError when nothing was read there.
    Source: as of `judge_relay`.

    >>> from frosty_piston.knowledge.figures import general
    >>> p = RelayPoints(12.4, 11.8, 12.2, 12.3, 0.0)
    >>> [judge_point(p, n, general(RelayLimits)).verdict for n in ("feed", "supply", "command", "output")]
    ['failed', 'sound', 'failed', 'failed']
    """
    meter = meter or VoltMeter()
    volts = getattr(points, name)
    if volts is None:
        raise ValueError(f"nothing was read at the {name}")
    u = meter.u(volts)
    ref_v = points.battery if points.battery is not None else points.feed
    if not limits.least_v <= volts <= _most_v(points, name, limits):
        says = f"{plain(volts)} V cannot be on this vehicle: check range and probes."
        return _told("implausible", "implausible", says, volts, u)
    if name == "battery":
        return _told("sound", "reference", f"{plain(volts)} V: the reference for the other points.", volts, u)
    if ref_v is None:
        return _told(
            "unclear", "unclear", "Read the battery first: the others are held against it.", volts, u
        )
    if name == "output" and points.loaded and _holds_pulsed(points, limits):
        return _told("sound", "carries", sentence(points.pulsed_in_order) + ".", volts, u)
    if name == "output":
        above_v = points.feed if points.feed is not None else ref_v
        return _told(*_output_alone(limits, volts, above_v, points.loaded), volts, u)
    alone = {"feed": _feed_alone, "supply": _supply_alone, "command": _command_alone}
    return _told(*alone[name](limits, volts, ref_v, u), volts, u)


def _feed_alone(limits: RelayLimits, volts: float, ref_v: float, u: float) -> tuple[str, str, str]:
    drop = ref_v - volts
    allowed = f"{plain(limits.feed_drop_v)} V allowed"
    if drop - u > limits.feed_drop_v:
        return "failed", "low", f"{plain(drop)} V under the battery; {allowed}."
    if drop + u > limits.feed_drop_v:
        return "unclear", "unclear", f"{plain(drop)} V under the battery, too near the {allowed} to call."
    return "sound", "sound", f"{plain(max(0.0, drop))} V under the battery; {allowed}."


def _supply_alone(limits: RelayLimits, volts: float, ref_v: float, u: float) -> tuple[str, str, str]:
    if volts >= limits.supply_share * ref_v:
        return "sound", "present", "Key supply is there."
    return "failed", "missing", "Key supply is missing with the key on."


def _command_alone(limits: RelayLimits, volts: float, ref_v: float, u: float) -> tuple[str, str, str]:
    if volts <= limits.command_share * ref_v:
        return "sound", "low", "Pulled low: the relay is ordered on."
    return "failed", "never_low", "Not pulled low: no order at this moment. Cycle the key and watch it."


def _output_alone(limits: RelayLimits, volts: float, above_v: float, loaded: bool) -> tuple[str, str, str]:
    loss = above_v - volts
    if loss <= limits.feed_drop_v and loaded:
        says = f"{plain(max(0.0, loss))} V under the feed with the plugs on: it carries."
        return "sound", "carries", says
    if loss <= limits.feed_drop_v:
        says = "Voltage without load proves nothing: connect the plugs and read again."
        return "unclear", "unloaded", says
    verdict = "marginal" if loss <= limits.contact_drop_v else "failed"
    cls = "drops" if volts >= limits.dead_v else "dead"
    return verdict, cls, f"{plain(loss)} V lost in the relay; {plain(limits.feed_drop_v)} V allowed."


def usual_on_time_s(glow: str, coolant_c: float, limits: RelayLimits) -> tuple[float, float]:
    """Return the usual pre-glow time in s at a coolant temperature, lowest and highest.

    Parameters: `glow`: kind of glow plug; `coolant_c`: coolant in °C; `limits`: the limits of the area.
    Source: general figures, `figures/relay.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> (
    ...     usual_on_time_s("rod_12v", -5, general(RelayLimits)),
    ...     usual_on_time_s("ceramic", -20, general(RelayLimits)),
    ... )
    ((7.5, 11.5), (1.0, 3.0))
    """
    if glow != "rod_12v":
        return limits.fast_low_s.value, limits.fast_high_s.value
    return between(limits.on_time_low_s, coolant_c), between(limits.on_time_high_s, coolant_c)


def judge_on_time(
    seconds: float, glow: str, coolant_c: float | None, point: str, limits: RelayLimits
) -> Judgement:
    """Judge how long the lamp or the relay output stayed on. Classes: absent, short_time, long_time, welded,
    sound.

    Parameters: `seconds`: time in s; `glow`: kind of glow plug; `coolant_c`: coolant in °C, None when not
    known; `point`: where it was timed, `lamp` or `output`; `limits`: the limits of the area. Source: general
    figures, `figures/relay.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(RelayLimits)
    >>> (
    ...     judge_on_time(20, "rod_12v", 20, "lamp", limits).cls,
    ...     judge_on_time(8, "rod_12v", 0, "lamp", limits).verdict,
    ... )
    ('long_time', 'sound')
    """

    def came_to(verdict: str, cls: str, u: float | None, because: str) -> Judgement:
        return Judgement(verdict, cls, seconds, unit="s", uncertainty=u, because=because)

    if not 0 <= seconds <= limits.most_on_time_s:
        says = f"{plain(seconds)} s is no glow time: read it again."
        return came_to("implausible", "implausible", None, says)
    if point == "output" and seconds > limits.welded_after_s:
        says = f"The output stayed live {plain(seconds)} s: welded contacts burn the plugs."
        return came_to("failed", "welded", 1.0, says)
    if coolant_c is None:
        says = "Enter the coolant temperature: the right time hangs on it."
        return came_to("unclear", "unclear", 1.0, says)
    low, high = usual_on_time_s(glow, coolant_c, limits)
    says = f"{plain(seconds)} s at {plain(coolant_c)} °C; {plain(low)} to {plain(high)} s is usual (general)."
    if seconds < limits.never_on_s:
        return came_to(
            "failed", "absent", 0.5, f"{says} Never on: several plugs open, no command, or the bulb."
        )
    if point == "output" and seconds > high * limits.afterglow_times:
        more = "Longer than pre-glow: it may be after-glow; count until the lamp goes out too."
        return came_to("unclear", "unclear", 1.0, f"{says} {more}")
    if seconds > high * limits.long_times:
        more = "Far too long: the control unit believes it is colder than it is; check the coolant sensor."
        return came_to("failed", "long_time", 1.0, f"{says} {more}")
    if seconds < low * limits.short_times:
        more = "Far too short: the control unit believes it is warm; check the coolant sensor."
        return came_to("failed", "short_time", 1.0, f"{says} {more}")
    return came_to("sound", "sound", 1.0, says)


def judge_soak(
    temps_c: dict[str, float], soaked_h: float | None, limits: RelayLimits
) -> dict[str, Judgement]:
    """Judge temperature readings after a cold soak: all agree with their middle, the odd one is wrong.

    Parameters: `temps_c`: temperature in °C by channel; `soaked_h`: hours standing, None when not known;
    `limits`: the limits of the area. Raises StatisticsError without a reading. Source: general,
    `figures/relay.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> temps = {"coolant": 41, "intake": -6, "ambient": -7, "fuel": -6}
    >>> judge_soak(temps, 9, general(RelayLimits))["coolant"].cls
    'odd_one_out'
    """
    middle = median(temps_c.values())
    return {channel: _soaked(t, middle, len(temps_c), soaked_h, limits) for channel, t in temps_c.items()}


def _soaked(t: float, middle: float, count: int, soaked_h: float | None, limits: RelayLimits) -> Judgement:
    def came_to(verdict: str, cls: str, because: str) -> Judgement:
        return Judgement(
            verdict,
            cls,
            t,
            unit="degC",
            uncertainty=None if verdict == "implausible" else 1.0,
            because=because,
        )

    agree = plain(limits.soak_agree_c)
    if not limits.soak_least_c <= t <= limits.soak_most_c:
        says = f"{plain(t)} °C cannot be: sensor wire open or short, or a typing slip."
        return came_to("implausible", "implausible", says)
    if soaked_h is not None and soaked_h < limits.soak_h:
        says = (
            f"Only {hours_said(soaked_h)} standing; after {hours_said(limits.soak_h)} all sensors should"
            f" agree within {agree} °C."
        )
        return came_to("unclear", "unclear", says)
    if count < 3:
        return came_to("unclear", "unclear", "Read at least three sensors: only then does an odd one show.")
    if abs(t - middle) > limits.soak_agree_c:
        says = (
            f"{plain(t)} °C while the others agree near {plain(middle)} °C after standing: this sensor or"
            " its wires lie."
        )
        return came_to("failed", "odd_one_out", says)
    return came_to("sound", "sound", f"{plain(t)} °C, within {agree} °C of the others.")
