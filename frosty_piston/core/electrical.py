"""Plain circuit questions: a lamp in series with a resistance, a contact that heats."""

from dataclasses import dataclass

LAMP_CURRENT_EXPONENT = 0.55
LAMP_POWER_EXPONENT = 1.55
LAMP_LIGHT_EXPONENT = 3.4


def lamp_share(rated_w: float, resistance_ohm: float, supply_v: float = 12.0, rated_v: float = 12.0) -> float:
    """Return how much of its power a test lamp takes in series with a resistance; see `lamp_light`.

    The filament draws ``I = I0*(V/V0)^0.55``; the lamp voltage V solves ``V + I*R = U``; its power goes with
    ``(V/V0)^1.55``. Solved by bisection, since V + I*R rises steadily with V.

    Parameters: `rated_w`: rated power of the lamp in W; `resistance_ohm`: resistance in ohm, not negative;
    `supply_v`: supply in V; `rated_v`: its rated voltage. Raises ValueError for a lamp without power or a
    negative resistance. Source: the usual exponent of tungsten filaments near their rated point.

    >>> round(lamp_share(2, 15), 2), round(lamp_share(21, 15), 2)
    (0.73, 0.06)
    """
    if rated_w <= 0 or rated_v <= 0:
        raise ValueError("a lamp needs a rated power and voltage above zero")
    if resistance_ohm < 0:
        raise ValueError("a resistance cannot be negative")
    rated_a = rated_w / rated_v
    low = 0.0
    high = supply_v
    for _ in range(60):
        lamp_v = (low + high) / 2
        if lamp_v + rated_a * (lamp_v / rated_v) ** LAMP_CURRENT_EXPONENT * resistance_ohm > supply_v:
            high = lamp_v
        else:
            low = lamp_v
    return float((low / rated_v) ** LAMP_POWER_EXPONENT)


def lamp_light(power_share: float) -> float:
    """Return the light of a lamp that takes a share of its power, as a share of its full light.

    Parameters: `power_share`: 0 or more. Source: light goes with the 3.4th power of the voltage, power with
    its 1.55th; usual exponents of tungsten filaments near their rated point, too much light far under it.

    >>> round(lamp_light(0.7), 2), lamp_light(1.0)
    (0.46, 1.0)
    """
    return float(power_share ** (LAMP_LIGHT_EXPONENT / LAMP_POWER_EXPONENT))


def lamp_limit_ohm(rated_w: float, share: float, supply_v: float = 12.0, rated_v: float = 12.0) -> float:
    """Return the highest series resistance through which the lamp still takes a share of its power.

    Turns `lamp_share` round: ``V = V0*share^(1/1.55)``, ``R = (U - V)/I``. In ohm; 0 when the supply itself
    is too low for that share.

    Parameters: `rated_w`: rated power of the lamp in W; `share`: a share, 0 to 1; `supply_v`: supply in V;
    `rated_v`: its rated voltage. Raises ValueError for a lamp without power. Source: as of `lamp_share`.

    >>> round(lamp_limit_ohm(2, 0.7), 1), round(lamp_limit_ohm(21, 0.7), 1)
    (16.8, 1.6)
    """
    if rated_w <= 0 or rated_v <= 0:
        raise ValueError("a lamp needs a rated power and voltage above zero")
    lamp_v = rated_v * share ** (1 / LAMP_POWER_EXPONENT)
    current = rated_w / rated_v * (lamp_v / rated_v) ** LAMP_CURRENT_EXPONENT
    return float(max(0.0, (supply_v - lamp_v) / current))


@dataclass(frozen=True, slots=True)
class Contact:
    """What a contact costs: its resistance in ohm and the heat made in it in W."""

    resistance_ohm: float
    heat_w: float


def contact(feed_v: float, output_v: float, current_a: float) -> Contact:
    """Return what a contact's voltage drop means: ``R = (feed - output)/I``, ``heat = (feed - output)*I``.

    Parameters: `feed_v`: volts before it; `output_v`: volts after it; `current_a`: current through it in A,
    above 0. Raises ValueError without current. Source: Ohm's law.

    >>> contact(12.0, 11.0, 40.0)
    Contact(resistance_ohm=0.025, heat_w=40.0)
    """
    if current_a <= 0:
        raise ValueError("a contact can only be judged with current through it")
    return Contact((feed_v - output_v) / current_a, (feed_v - output_v) * current_a)
