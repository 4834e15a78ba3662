"""What the kinds of glow plug are like, and the heat that one makes."""

from dataclasses import dataclass

from .limits import Limit


@dataclass(frozen=True, slots=True)
class PlugKind:
    """General figures of one kind of glow plug: what to call it, cold resistance in ohm at 20 C, working
    voltage in V, seconds until its tip glows on the bench, currents in A after ten seconds and at once (0
    where no general figure exists)."""

    name: str
    low_ohm: Limit
    high_ohm: Limit
    working_v: Limit
    tip_glows_s: Limit
    steady_low_a: Limit
    steady_high_a: Limit
    inrush_low_a: Limit
    inrush_high_a: Limit

    @property
    def steady_a(self) -> tuple[float, float] | None:
        return (self.steady_low_a, self.steady_high_a) if self.steady_high_a else None

    @property
    def inrush_a(self) -> tuple[float, float] | None:
        return (self.inrush_low_a, self.inrush_high_a) if self.inrush_high_a else None

    @property
    def middle_ohm(self) -> float:
        return (self.low_ohm + self.high_ohm) / 2


def plug_power_w(resistance_ohm: float, supply_v: float, path_ohm: float) -> float:
    """Return the heat a plug makes: ``I = U/(R + R_path)``, ``P = I^2*R``, in W.

    Parameters: `resistance_ohm`: resistance in ohm, not negative; `supply_v`: supply in V; `path_ohm`: wire
    and contacts in ohm, not negative. 0.04 Ω makes a 0.8 Ω plug on 11.5 V give about 150 W. Raises ValueError
    for a negative resistance. Source: Ohm's law.

    >>> round(plug_power_w(0.8, 11.5, 0.04)), round(plug_power_w(12, 11.5, 0.04))
    (150, 11)
    """
    if resistance_ohm < 0 or path_ohm < 0:
        raise ValueError("a resistance cannot be negative")
    if resistance_ohm + path_ohm == 0:
        return 0.0
    return (supply_v / (resistance_ohm + path_ohm)) ** 2 * resistance_ohm


def heat_share(resistance_ohm: float, reference_ohm: float, path_ohm: float) -> float:
    """Return the heat of a plug as a share of a reference plug on the same supply.

    Parameters: `resistance_ohm`: resistance in ohm, not negative; `reference_ohm`: the reference in ohm;
    `path_ohm`: wire and contacts in ohm, not negative. Raises ValueError for a negative one. Source: Ohm's
    law.

    >>> round(heat_share(12, 0.8, 0.04), 2), heat_share(0.8, 0.8, 0.04)
    (0.07, 1.0)
    """
    return plug_power_w(resistance_ohm, 1.0, path_ohm) / plug_power_w(reference_ohm, 1.0, path_ohm)


def resistance_at_share(share: float, reference_ohm: float, path_ohm: float) -> float:
    """Return the resistance, above the matched one, at which a plug makes only this share of the reference
    heat.

    Solves ``R/(R + Rp)^2 = k`` with ``k = share*Rr/(Rr + Rp)^2``: the larger root of ``k*R^2 + (2*k*Rp - 1)*R
    + k*Rp^2 = 0``. In ohm.

    Parameters: `share`: a share, 0 to 1; `reference_ohm`: the reference in ohm; `path_ohm`: wire and contacts
    in ohm, not negative. Raises ValueError for a share outside. Source: Ohm's law.

    >>> round(resistance_at_share(0.5, 0.8, 0.04), 2), round(resistance_at_share(0.8, 0.8, 0.04), 2)
    (1.68, 1.02)
    """
    if not 0 < share <= 1:
        raise ValueError("the share must lie between 0 and 1")
    k = share * reference_ohm / (reference_ohm + path_ohm) ** 2
    b = 2 * k * path_ohm - 1
    return float((-b + (b * b - 4 * (k * path_ohm) ** 2) ** 0.5) / (2 * k))


def at_20c(resistance_ohm: float, part_c: float) -> float:
    """Return what a cold plug value would be at 20 C: ``R20 = R/(1 + 0.005*(T - 20))``.

    Parameters: `resistance_ohm`: resistance in ohm, not negative; `part_c`: temperature of the plug in °C.
    Holds for plugs standing at engine temperature, -40 to 120 C; raises ValueError outside -60 to 150.
    Source: the usual coefficient of heater alloys, 0.5 percent a degree.

    >>> round(at_20c(1.12, 60), 3)
    0.933
    """
    if not -60 <= part_c <= 150:
        raise ValueError("the plug temperature must lie between -60 and 150 °C")
    return resistance_ohm / (1 + 0.005 * (part_c - 20))
