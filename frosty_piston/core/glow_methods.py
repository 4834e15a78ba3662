"""The other ways to test a glow plug: test lamp, current clamp, heat on the bench."""

from .electrical import lamp_limit_ohm
from .glow import GlowLimits, Reference
from .plugs import PlugKind, resistance_at_share
from .quantity import Judgement, plain
from .words import sentence


def judge_lamp(
    seen: str, lamp_w: float, ref: Reference, limits: GlowLimits, supply_v: float = 12.0
) -> Judgement:
    """Judge what a test lamp in series with a plug showed: `lit`, `dim` or `dark`.

    A lit lamp only says that the plug is under the resistance at which the lamp still looks full (70 % of its
    power, 46 % of its light). Only when that limit is under the resistance of a failed plug is a lit plug
    called sound.

    Parameters: `seen`: what was seen; `lamp_w`: rated power of the lamp in W; `ref`: the reference of the
    set; `limits`: the limits of the area; `supply_v`: supply in V. Raises ValueError for a lamp without
    power. Source: `lamp_limit_ohm`.

    >>> from frosty_piston.core.glow import reference
    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(GlowLimits)
    >>> ref = reference("rod_12v", 0.8, [], limits)
    >>> [judge_lamp(s, w, ref, limits).cls for s, w in (("lit", 2), ("lit", 21), ("dim", 21))]
    ['not_open', 'sound', 'high']
    """
    lit_ohm = lamp_limit_ohm(lamp_w, limits.lamp_lit_share, supply_v)
    dark_ohm = lamp_limit_ohm(lamp_w, limits.lamp_dark_share, supply_v)
    high_ohm = resistance_at_share(limits.failed_share, ref.ohm, limits.path_ohm)
    lamp = f"a {plain(lamp_w)} W lamp"
    if seen == "dark":
        return Judgement(
            "failed",
            "open",
            None,
            unit="ohm",
            uncertainty=None,
            because=f"Dark through {lamp}: open circuit, or over {plain(dark_ohm)} Ω.",
        )
    if seen == "dim":
        if lit_ohm < ref.ohm:
            return Judgement(
                "unclear",
                "unclear",
                None,
                unit="ohm",
                uncertainty=None,
                because=(
                    f"{sentence(lamp)} is dim even through a healthy {plain(ref.ohm)} Ω plug: take a weaker"
                    " lamp or a clamp."
                ),
                not_these=("open",),
            )
        if lit_ohm < high_ohm * limits.lamp_near_share:
            return Judgement(
                "unclear",
                "unclear",
                None,
                unit="ohm",
                uncertainty=None,
                because=(
                    f"Dim through {lamp}: over {plain(lit_ohm)} Ω, tired or worse. A clamp tells how much."
                ),
                not_these=("open",),
            )
        return Judgement(
            "failed",
            "high",
            None,
            unit="ohm",
            uncertainty=None,
            because=(
                f"Dim through {lamp}: between {plain(lit_ohm)} and {plain(dark_ohm)} Ω, so it makes too"
                " little heat."
            ),
        )
    if lit_ohm <= high_ohm:
        return Judgement(
            "sound",
            "sound",
            None,
            unit="ohm",
            uncertainty=None,
            because=(
                f"Lit through {lamp}: under {plain(lit_ohm)} Ω, so it draws at least half its power. It may"
                " still be a little tired."
            ),
        )
    return Judgement(
        "unclear",
        "not_open",
        None,
        unit="ohm",
        uncertainty=None,
        because=(
            f"Lit through {lamp}: not open, but the lamp looks full up to {plain(lit_ohm)} Ω and a plug has"
            f" failed from {plain(high_ohm)} Ω. A 21 W lamp, an ohmmeter or a clamp tells."
        ),
        not_these=("open",),
    )


def judge_plug_current(
    current_a: float,
    after_s: float | None,
    ref: Reference,
    limits: GlowLimits,
    inrush_a: float | None = None,
    accuracy_percent: float | None = None,
) -> Judgement:
    """Judge the current of one plug.

    Steady (10 s on) 8 to 14 A and inrush 15 to 30 A are general for a 12 V rod plug; other kinds are held
    against a share of ``U/R`` of the reference, and that is said to be an estimate.

    Parameters: `current_a`: current in A; `after_s`: seconds since it was switched on, None when not noted;
    `ref`: the reference of the set; `limits`: the limits of the area; `inrush_a`: this plug's inrush in A,
    None when not caught; `accuracy_percent`: the clamp's accuracy in percent, the general one when None.
    Source: general figures, `figures/glow.toml`.

    >>> from frosty_piston.core.glow import reference
    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(GlowLimits)
    >>> ref = reference("rod_12v", 0.8, [], limits)
    >>> [judge_plug_current(a, 10, ref, limits).cls for a in (0.2, 5.0, 11.0, 19.0)]
    ['open', 'weak', 'sound', 'short']
    """
    settled = after_s is None or after_s >= limits.settled_s
    general = ref.kind.steady_a if settled else ref.kind.inrush_a
    if general:
        low, high, source = *general, f"general for a {ref.kind.name}"
    else:
        expected = ref.kind.working_v / ref.ohm
        low = expected * (limits.estimate_low_share if settled else limits.estimate_inrush_share)
        high = expected * limits.estimate_high_share
        source = "an estimate from its resistance"
    when = "after " + (f"{plain(after_s)} s" if after_s is not None else "10 s (taken)")
    accuracy = limits.clamp_percent if accuracy_percent is None else accuracy_percent
    u = max(limits.clamp_least_a, current_a * accuracy / 100)
    says = f"{plain(current_a)} A {when}; {plain(low)} to {plain(high)} A is {source}."

    def came_to(verdict: str, cls: str, because: str, *not_these: str) -> Judgement:
        return Judgement(
            verdict, cls, current_a, unit="A", uncertainty=u, because=because, not_these=not_these
        )

    if current_a < -u or current_a > limits.most_a:
        return came_to(
            "implausible",
            "implausible",
            f"{plain(current_a)} A cannot be one plug: zero the clamp, turn it round, repeat.",
        )
    if current_a <= limits.open_a:
        return came_to("failed", "open", f"{says} It draws nothing worth the name: open.")
    if current_a - u > high:
        steady = inrush_a is not None and settled and current_a > limits.no_fall_share * inrush_a
        return came_to(
            "failed",
            "short",
            f"{says} Too much" + (", and no fall from the inrush: a short." if steady else ": a short hint."),
        )
    if current_a + u < low:
        verdict, cls = ("failed", "high") if current_a < low / 2 else ("marginal", "weak")
        return came_to(verdict, cls, f"{says} Too little: high resistance in the plug or its wire.")
    if current_a - u < low or current_a + u > high:
        others: tuple[str, ...]
        if current_a - u >= low:
            others = ("high", "weak")
        elif current_a + u <= high:
            others = ("short",)
        else:
            others = ()
        says += f" Within the clamp's {plain(u)} A of the limit. It is not open."
        return came_to("unclear", "unclear", says, "open", *others)
    return came_to("sound", "sound", says)


def working_plugs(
    total_a: float, count: int, ref: Reference, limits: GlowLimits, accuracy_percent: float | None = None
) -> Judgement:
    """Return how many plugs work from their total current after ten seconds: ``total / one``.

    Parameters: `total_a`: total current in A; `count`: plugs fed by the measured wire; `ref`: the reference
    of the set; `limits`: the limits of the area; `accuracy_percent`: the clamp's accuracy in percent, the
    general one when None. The because names the likeliest number and its interval, which comes from the range
    of one plug. Source: general figures, `figures/glow.toml`.

    >>> from frosty_piston.core.glow import reference
    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(GlowLimits)
    >>> working_plugs(22, 4, reference("rod_12v", 0.8, [], limits), limits).because[:28]
    '22 A in total at about 11 A '
    """
    full_a = ref.kind.working_v / ref.ohm
    low, high = ref.kind.steady_a or (limits.estimate_low_share * full_a, full_a)
    one = (low + high) / 2
    u = total_a * (limits.clamp_percent if accuracy_percent is None else accuracy_percent) / 100
    fewest = max(0, min(count, -int(-(total_a - u) // high))) if total_a > u else 0
    most = min(count, int((total_a + u) // low)) if total_a + u >= low else 0
    likely = max(fewest, min(most, round(total_a / one))) if most >= fewest else round(total_a / one)
    span = f"{fewest} to {most}" if fewest < most else f"{likely}"
    because = (
        f"{plain(total_a)} A in total at about {plain(one)} A each: {likely} of {count} plugs work (could be"
        f" {span})."
    )
    if total_a < 0 or total_a - u > count * high * limits.count_most_times:
        return Judgement(
            "implausible",
            "implausible",
            total_a,
            unit="A",
            uncertainty=u,
            because=(
                f"{plain(total_a)} A is more than {count} plugs can draw, or less than none: check the clamp."
            ),
        )
    if (
        most == count
        and fewest == count
        or likely == count
        and total_a >= limits.count_sound_share * one * count
    ):
        return Judgement("sound", "sound", total_a, unit="A", uncertainty=u, because=because)
    if most < count:
        return Judgement(
            "failed", "all_open" if likely == 0 else "open", total_a, unit="A", uncertainty=u, because=because
        )
    return Judgement(
        "unclear", "unclear", total_a, unit="A", uncertainty=u, because=because + " Clamp them one by one."
    )


def judge_bench_heat(seen: str, after_s: float | None, failed_in_place: bool, kind: PlugKind) -> Judgement:
    """Judge a plug heated on the bench: `red_tip`, `red_elsewhere` or `cold`.

    Parameters: `seen`: what was seen; `after_s`: seconds since it was switched on, None when not noted;
    `failed_in_place`: whether it looked dead in place; `kind`: the kind of plug. Source: general times of
    each kind, `figures/glow.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> rod = general(GlowLimits).kind("rod_12v")
    >>> judge_bench_heat("red_tip", 8, False, rod).verdict, judge_bench_heat("cold", None, False, rod).cls
    ('sound', 'open')
    """
    if seen == "cold":
        return Judgement(
            "failed",
            "open",
            after_s,
            unit="s",
            uncertainty=None,
            because=f"The {kind.name} stays cold at its rated voltage: it is open inside.",
        )
    if seen == "red_elsewhere":
        return Judgement(
            "failed",
            "red_elsewhere",
            after_s,
            unit="s",
            uncertainty=None,
            because="It glows away from the tip, so the heat does not reach the spray: worn out.",
        )
    if after_s is not None and after_s > kind.tip_glows_s:
        return Judgement(
            "marginal",
            "weak",
            after_s,
            unit="s",
            uncertainty=1.0,
            because=f"The tip glows, but only after {plain(after_s)} s; under {plain(kind.tip_glows_s)} s is"
            " healthy (general).",
        )
    because = "The tip glows first, as it should."
    if failed_in_place:
        because += (
            " It looked dead in place: the seat or its ground is dirty, or the wrong terminal was touched. "
            "Clean the seat and repeat in place."
        )
    return Judgement(
        "sound", "sound", after_s, unit="s", uncertainty=1.0 if after_s is not None else None, because=because
    )
