"""What the kinds of glow plug are like: general figures that an engine card overrides."""

from dataclasses import dataclass

PATH_OHM = 0.04


@dataclass(frozen=True, slots=True)
class PlugKind:
    """General figures of one kind of glow plug. Cold resistance in ohm at 20 C, working voltage in V,
    current in A after ten seconds (None where no general figure exists), what to call it."""

    name: str
    low_ohm: float
    high_ohm: float
    working_v: float
    steady_a: tuple[float, float] | None
    inrush_a: tuple[float, float] | None

    @property
    def middle_ohm(self) -> float:
        return (self.low_ohm + self.high_ohm) / 2


PLUG_KINDS = {
    "rod_12v": PlugKind("12 V rod plug", 0.5, 1.5, 11.5, (8.0, 14.0), (15.0, 30.0)),
    "fast_7v": PlugKind("7 V fast plug", 0.3, 0.9, 7.0, None, None),
    "fast_5v": PlugKind("5 V fast plug", 0.15, 0.6, 5.0, None, None),
    "ceramic": PlugKind("ceramic plug", 0.2, 0.9, 7.0, None, None),
}


def plug_power_w(resistance_ohm: float, supply_v: float, path_ohm: float = PATH_OHM) -> float:
    """Answer the heat a plug makes: ``I = U/(R + R_path)``, ``P = I^2*R``, in W.

    Parameters: the plug's resistance in ohm (>= 0), the voltage at the source in V, what the wire and
    contacts add in ohm. The general 0.04 ohm makes a 0.8-ohm plug on 11.5 V give about 150 W.

    >>> round(plug_power_w(0.8, 11.5)), round(plug_power_w(12, 11.5))
    (150, 11)
    """
    if resistance_ohm < 0 or path_ohm < 0:
        raise ValueError("a resistance cannot be negative")
    if resistance_ohm + path_ohm == 0:
        return 0.0
    return (supply_v / (resistance_ohm + path_ohm)) ** 2 * resistance_ohm


def heat_share(resistance_ohm: float, reference_ohm: float, path_ohm: float = PATH_OHM) -> float:
    """Answer the heat of a plug as a share of a reference plug on the same supply.

    >>> round(heat_share(12, 0.8), 2), heat_share(0.8, 0.8)
    (0.07, 1.0)
    """
    return plug_power_w(resistance_ohm, 1.0, path_ohm) / plug_power_w(reference_ohm, 1.0, path_ohm)


def resistance_at_share(share: float, reference_ohm: float, path_ohm: float = PATH_OHM) -> float:
    """Answer the resistance, above the matched one, at which a plug makes only this share of the reference
    heat.

    Solves ``R/(R + Rp)^2 = k`` with ``k = share*Rr/(Rr + Rp)^2``: the larger root of
    ``k*R^2 + (2*k*Rp - 1)*R + k*Rp^2 = 0``. In ohm. Share must lie in 0..1.

    >>> round(resistance_at_share(0.5, 0.8), 2), round(resistance_at_share(0.8, 0.8), 2)
    (1.68, 1.02)
    """
    if not 0 < share <= 1:
        raise ValueError("the share must lie between 0 and 1")
    k = share * reference_ohm / (reference_ohm + path_ohm) ** 2
    b = 2 * k * path_ohm - 1
    return (-b + (b * b - 4 * (k * path_ohm) ** 2) ** 0.5) / (2 * k)


def at_20c(resistance_ohm: float, part_c: float) -> float:
    """Answer what a cold plug value would be at 20 C: ``R20 = R/(1 + 0.005*(T - 20))``.

    Holds for plugs standing at engine temperature, -40 to 120 C; outside it raises ValueError.

    >>> round(at_20c(1.12, 60), 3)
    0.933
    """
    if not -60 <= part_c <= 150:
        raise ValueError("the plug temperature must lie between -60 and 150 degC")
    return resistance_ohm / (1 + 0.005 * (part_c - 20))
