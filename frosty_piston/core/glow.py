"""Glow plug resistance: what a value in ohm says about a plug, a wire and the method itself."""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from statistics import median

from .limits import Limit
from .plugs import PlugKind, at_20c, heat_share, plug_power_w, resistance_at_share
from .quantity import Judgement, Measured, combined, meter_uncertainty, percent, plain

GENERAL_KIND = "rod_12v"


@dataclass(frozen=True, slots=True, eq=False)
class GlowLimits:
    """The figures that judge glow plugs. Shares are of the reference heat; `kinds`: what each kind of plug is
    like; the others by their unit and name."""

    open_ohm: Limit
    short_ohm: Limit
    unzeroed_leads_ohm: Limit
    path_ohm: Limit
    weak_share: Limit
    failed_share: Limit
    bridged_share: Limit
    apart_times: Limit
    lamp_lit_share: Limit
    lamp_dark_share: Limit
    lamp_near_share: Limit
    settled_s: Limit
    clamp_percent: Limit
    clamp_least_a: Limit
    open_a: Limit
    most_a: Limit
    no_fall_share: Limit
    estimate_low_share: Limit
    estimate_inrush_share: Limit
    estimate_high_share: Limit
    count_most_times: Limit
    count_sound_share: Limit
    kinds: Mapping[str, PlugKind]

    def kind(self, glow: str) -> PlugKind:
        """What a kind of plug is like; one that is not listed is taken as a 12 V rod plug.

        Parameters: `glow`: kind of glow plug.

        >>> from frosty_piston.knowledge.figures import general
        >>> general(GlowLimits).kind("ceramic").name, general(GlowLimits).kind("another").name
        ('ceramic plug', '12 V rod plug')
        """
        return self.kinds.get(glow, self.kinds[GENERAL_KIND])


@dataclass(frozen=True, slots=True)
class Meter:
    """An ohmmeter as it stands on the bench. Leads in ohm, None when they were never shorted and read."""

    accuracy_percent: float = 1.0
    accuracy_digits: float = 3.0
    resolution_ohm: float = 0.01
    lead_zero_ohm: float | None = None

    def measured(self, shown_ohm: float, unzeroed_ohm: float) -> Measured:
        """Take the leads off a shown value and give the interval that is left.

        With a lead zero R0: ``R = shown - R0``, both uncertainties combined. Without one the leads may hold
        up to `unzeroed_ohm`, so the true value can only be lower. Both in ohm. Parameters: `shown_ohm`: shown
        value in ohm. Source: the way meter data sheets state accuracy.

        >>> r = Meter(0.8, 3, 0.01, 0.2).measured(1.0, 0.3)
        >>> round(r.value, 2), round(r.u, 3)
        (0.8, 0.049)
        """
        u = self._u(shown_ohm)
        if self.lead_zero_ohm is None:
            return Measured(shown_ohm, shown_ohm - u - unzeroed_ohm, shown_ohm + u)
        u = combined(u, self._u(self.lead_zero_ohm))
        value = shown_ohm - self.lead_zero_ohm
        return Measured(value, value - u, value + u)

    def _u(self, shown: float) -> float:
        return meter_uncertainty(shown, self.accuracy_percent, self.accuracy_digits, self.resolution_ohm)


@dataclass(frozen=True, slots=True)
class Reference:
    """The cold resistance the plugs are held against, in ohm, where it comes from, and the widest range."""

    ohm: float
    source: str
    kind: PlugKind
    from_card: bool


def reference(glow: str, nominal_ohm: float | None, set_ohm: list[float], limits: GlowLimits) -> Reference:
    """Return what a healthy plug of this engine would read.

    The card's nominal; without one the median of this set, if it lies in the general range of the kind; else
    the middle of that range. `set_ohm` holds the corrected values of the plugs that conduct, in ohm; `glow`
    is the kind. Source: the card, or the general ranges of `figures/glow.toml`. Parameters: `nominal_ohm`:
    the card's nominal in ohm, None when it has none; `limits`: the limits of the area.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(GlowLimits)
    >>> reference("rod_12v", None, [0.8, 0.9, 12.0], limits).ohm, reference("rod_12v", 0.7, [], limits).source
    (0.9, "the engine card's nominal")
    """
    kind = limits.kind(glow)
    if nominal_ohm:
        return Reference(nominal_ohm, "the engine card's nominal", kind, True)
    if len(set_ohm) >= 2 and kind.low_ohm <= median(set_ohm) <= kind.high_ohm:
        return Reference(median(set_ohm), "the middle plug of this set", kind, False)
    return Reference(kind.middle_ohm, f"the middle of the general range for a {kind.name}", kind, False)


@dataclass(frozen=True, slots=True)
class PlugReading:
    """One plug as the meter showed it: ohm or None for OL; temperature of the plug in C if it was taken."""

    cylinder: int
    shown_ohm: float | None
    part_c: float | None = None


@dataclass(frozen=True, slots=True)
class PlugJudged:
    """A plug judged: the judgement, its heat as a share of the reference and in W (None without a value)."""

    cylinder: int
    judgement: Judgement
    share: float | None
    power_w: float | None


def corrected(reading: PlugReading, meter: Meter, limits: GlowLimits) -> Measured | None:
    """Return the plug's own resistance at 20 C in ohm, leads off; None for an open circuit.

    Parameters: the reading, the meter, the limits. Raises ValueError for a part temperature that cannot be.
    Source: `at_20c`.

    >>> from frosty_piston.knowledge.figures import general
    >>> round(corrected(PlugReading(1, 1.32, 60.0), Meter(lead_zero_ohm=0.2), general(GlowLimits)).value, 3)
    0.933
    """
    if reading.shown_ohm is None or reading.shown_ohm > limits.open_ohm:
        return None
    got = meter.measured(reading.shown_ohm, limits.unzeroed_leads_ohm)
    if reading.part_c is None:
        return got
    return Measured(*(at_20c(v, reading.part_c) for v in (got.value, got.low, got.high)))


def looks_bridged(values: list[Measured], ref: Reference, limits: GlowLimits) -> bool:
    """Return whether every position shows the same joined circuit instead of its own plug.

    All of three or more values agree within their uncertainty, and they are so low that one plug alone would
    not read it: under 0.7 of the reference, or under the general range of the kind.

    Parameters: `values`: values of the set; `ref`: the reference of the set; `limits`: the limits of the
    area. Source: plugs joined in parallel read ``R/n``, two already half.

    >>> from frosty_piston.knowledge.figures import general
    >>> low, limits = [Measured(0.2, 0.15, 0.25)] * 4, general(GlowLimits)
    >>> ref = reference("rod_12v", 0.8, [], limits)
    >>> looks_bridged(low, ref, limits), looks_bridged(low[:2], ref, limits)
    (True, False)
    """
    if len(values) < 3 or max(v.low for v in values) > min(v.high for v in values):
        return False
    middle = median(v.value for v in values)
    return middle > 0.01 and (
        middle < limits.bridged_share * ref.ohm or (not ref.from_card and middle < ref.kind.low_ohm)
    )


def judge_set(
    readings: list[PlugReading],
    meter: Meter,
    glow: str,
    limits: GlowLimits,
    nominal_ohm: float | None = None,
    wires_off: bool = False,
) -> list[PlugJudged]:
    """Judge the plugs read at one test point, each by itself and against its set.

    Parameters: `readings`: the readings of one point; `meter`: the meter, a general one when None; `glow`:
    kind of glow plug; `limits`: the limits of the area; `nominal_ohm`: the card's nominal in ohm, None when
    it has none; `wires_off`: whether every wire was unplugged first. Returns one PlugJudged per reading, in
    order. Classes: open, high (under half the reference heat), weak (under 80 %), sound, short (under 0.1 Ω),
    bridged, unclear (the interval straddles a limit, and the method that settles it is named). Source: heat
    by Ohm's law; the limits of `figures/glow.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> plugs, meter = [PlugReading(1, 1.0), PlugReading(2, None)], Meter(0.8, 3, 0.01, 0.2)
    >>> judged = judge_set(plugs, meter, "rod_12v", general(GlowLimits), 0.8)
    >>> [j.judgement.cls for j in judged], judged[0].judgement.verdict
    (['sound', 'open'], 'sound')
    """
    values = [corrected(r, meter, limits) for r in readings]
    conducting = [v.value for v in values if v and v.high > limits.short_ohm and v.value < limits.open_ohm]
    ref = reference(glow, nominal_ohm, conducting, limits)
    if (
        not wires_off
        and len(readings) == len([v for v in values if v])
        and looks_bridged([v for v in values if v], ref, limits)
    ):
        return [_bridged(r, v, len(readings), ref) for r, v in zip(readings, values, strict=True) if v]
    middle = median(conducting) if len(conducting) >= 3 else None
    alike = middle is not None and all(v is not None and v.low <= middle <= v.high for v in values)
    return [
        _judge_one(reading, value, meter, ref=ref, set_median=middle, limits=limits, alike=alike)
        for reading, value in zip(readings, values, strict=True)
    ]


def _bridged(reading: PlugReading, value: Measured, count: int, ref: Reference) -> PlugJudged:
    because = (
        f"All {count} positions read the same {plain(value.value)} Ω, less than one plug alone "
        f"({plain(ref.ohm)} Ω) can: these are joined, unplug first, then read each again."
    )
    return PlugJudged(
        reading.cylinder,
        Judgement("unclear", "bridged", value.value, unit="ohm", uncertainty=value.u, because=because),
        None,
        None,
    )


def _judge_one(
    reading: PlugReading,
    value: Measured | None,
    meter: Meter,
    ref: Reference,
    set_median: float | None,
    limits: GlowLimits,
    alike: bool = False,
) -> PlugJudged:
    path_ohm = limits.path_ohm
    short_ohm = limits.short_ohm

    def came_to(
        verdict: str, cls: str, because: str, share: float | None = None, not_these: tuple[str, ...] = ()
    ) -> PlugJudged:
        figure, u = (value.value, value.u) if value else (None, None)
        watts = (
            plug_power_w(max(0.0, value.value), ref.kind.working_v, path_ohm)
            if value and share is not None
            else None
        )
        judgement = Judgement(
            verdict, cls, figure, unit="ohm", uncertainty=u, because=because, not_these=not_these
        )
        return PlugJudged(reading.cylinder, judgement, share, watts)

    if value is None:
        return came_to(
            "failed", "open", "Open circuit: no current can flow, so this plug makes no heat.", 0.0
        )
    says = f"{plain(value.value)} Ω"
    if value.high < 0:
        lead = meter.lead_zero_ohm or 0.0
        return came_to(
            "implausible",
            "implausible",
            f"The meter showed {plain(reading.shown_ohm or 0)} Ω, less than its own leads "
            f"({plain(lead)} Ω): read the leads again, then this plug.",
        )
    share = heat_share(max(value.value, 0.0), ref.ohm, path_ohm)
    heat = f"{percent(share)} of the heat of a {plain(ref.ohm)} Ω plug ({ref.source})"
    if value.high < short_ohm:
        return came_to(
            "failed",
            "short",
            f"{says}, at most {plain(value.high)}: a short, less than {plain(short_ohm)} Ω even with "
            "the meter's uncertainty. It blows the fuse or burns the relay.",
            share,
        )
    weak_ohm, high_ohm = (
        resistance_at_share(s, ref.ohm, path_ohm) for s in (limits.weak_share, limits.failed_share)
    )
    lowest = limits.failed_share * ref.ohm if ref.from_card else ref.kind.low_ohm
    if value.low > high_ohm:
        return came_to("failed", "high", f"{says}: {heat}, so it hardly helps the start.", share)
    for limit, what in ((short_ohm, "a short"), (weak_ohm, "a weak plug"), (high_ohm, "a failed plug")):
        if value.straddles(limit):
            if limit is weak_ohm and not ref.from_card and alike and value.value <= weak_ohm:
                return came_to(
                    "sound",
                    "sound",
                    f"{says}, and the whole set reads alike: sound within what this meter sees.",
                    share,
                )
            leads = (
                "" if meter.lead_zero_ohm is not None else " Short the probes and enter the lead zero first."
            )
            return came_to(
                "unclear",
                "unclear",
                f"{says}, really between {plain(max(0.0, value.low))} and {plain(value.high)}: the limit for "
                f"{what} ({plain(limit)} Ω) lies inside, so this meter cannot tell. It is not open.{leads} "
                "A clamp on its wire, or a better meter, settles it.",
                share,
                _ruled_out(value, short_ohm, weak_ohm, high_ohm)
                + (("sound",) if value.high < lowest else ()),
            )
    if value.low > weak_ohm:
        return came_to("marginal", "weak", f"{says}: {heat}; a tired plug.", share)
    if value.high < lowest:
        return came_to(
            "unclear",
            "unclear",
            f"{says} is lower than a {ref.kind.name} reads (from {plain(lowest)} Ω): another kind "
            "of plug, a partial short, or wires still joined. Compare the type; a clamp settles it.",
            share,
        )
    if set_median and value.low > limits.apart_times * set_median:
        return came_to(
            "marginal",
            "weak",
            f"{says} lies in the range, but it is over {plain(limits.apart_times)} times the middle of its "
            f"set ({plain(set_median)} Ω).",
            share,
        )
    return came_to("sound", "sound", f"{says}: {heat}.", share)


def _ruled_out(value: Measured, short_ohm: float, weak_ohm: float, high_ohm: float) -> tuple[str, ...]:
    """The classes that a reading too near a limit cannot be."""
    ruled = {"short": value.low >= short_ohm, "weak": value.high <= weak_ohm, "high": value.high <= high_ohm}
    return ("open", *(cls for cls, out in ruled.items() if out))


def _more_ohm(one: Judgement, other: Judgement) -> int:
    """1 when one of two readings is surely more than the other, -1 when surely less, 0 within both
    uncertainties; open is more than any figure."""
    a, b = (math.inf if j.cls == "open" else j.value for j in (one, other))
    if a is None or b is None or a == b:
        return 0
    if math.isinf(a) or math.isinf(b):
        return 1 if a > b else -1
    apart = math.hypot(one.uncertainty or 0.0, other.uncertainty or 0.0)
    if abs(a - b) <= apart:
        return 0
    if a > b:
        return 1
    return -1


def harness_or_plug(at_connector: Judgement, at_plug: Judgement) -> str:
    """Return where the trouble lies when a plug was read at the connector and again at the plug itself.

    Parameters: `at_connector`: the judgement at the connector; `at_plug`: the judgement at the plug. Returns
    `wire`, `plug` (the same at both), `both` (worse at the connector), `against` (better at the connector,
    which one moment cannot show), `none` or `unclear`, for the page to put into words. Source: what lies
    between the two points stands in line with the plug.

    >>> bad, good = (
    ...     Judgement("failed", "open", None, "ohm", None, ""),
    ...     Judgement("sound", "sound", 0.8, "ohm", 0.05, ""),
    ... )
    >>> harness_or_plug(bad, good), harness_or_plug(bad, bad), harness_or_plug(good, good)
    ('wire', 'plug', 'none')
    >>> harness_or_plug(good, bad)
    'against'
    """
    poor = {"failed", "marginal"}
    more = _more_ohm(at_connector, at_plug)
    if at_connector.verdict in poor and at_plug.verdict == "sound":
        return "wire"
    if at_plug.verdict in poor and at_connector.verdict in poor | {"sound"}:
        if more > 0:
            return "both"
        if more < 0:
            return "against"
        return "plug"
    if at_connector.verdict == at_plug.verdict == "sound":
        return "none"
    return "unclear"
