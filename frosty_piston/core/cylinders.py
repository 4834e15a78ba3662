"""What was measured of each cylinder, laid over each other: which one stands out, and what fits it best."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from statistics import median

from .injection import robust_distance

BAD = ("failed", "marginal")
MOST_SHOWN = 6.0


def standings(values: Sequence[float | None], u: float) -> list[float | None]:
    """Return how far each cylinder stands from its set and to which side, in robust standard deviations, none
    where it was not read; six is the most that is told.

    Parameters: `values`: one figure for each cylinder, None where there is none; `u`: the uncertainty of one
    of them in the same unit, above 0. Source: `robust_distance`.

    >>> standings([0.40, 0.41, None, 0.90], 0.02)
    [-0.5, 0.0, None, 6.0]
    """
    read = [v for v in values if v is not None]
    if len(read) < 2:
        return [None if v is None else 0.0 for v in values]
    middle = median(read)
    return [
        None
        if value is None
        else round(
            max(
                -MOST_SHOWN, min(MOST_SHOWN, robust_distance(read, value, u) * (1 if value >= middle else -1))
            ),
            1,
        )
        for value in values
    ]


@dataclass(frozen=True, slots=True)
class Fits:
    """The explanation that fits a cylinder: what, and why."""

    what: str
    because: str


def fits(found: Mapping[str, str], replaced: bool = False) -> Fits | None:
    """Return which explanation fits what was found at one cylinder; None while nothing bad was.

    Parameters: `found`: by test the verdict at this cylinder (`failed`, `marginal`, `sound`, `unclear`): the
    ids of the tests; `replaced`: whether an injector was changed there. Source: what each test can see: a
    cylinder that is weak with low compression is not the injector's; one that is dead with a sound coil hangs
    on its plug or nozzle.

    >>> fits({"injector_resistance": "failed", "wiggle": "failed"}).what
    'The connector'
    >>> fits({"injector_balance": "failed", "relative_compression": "failed"}).what
    'Compression'
    >>> fits({"injector_balance": "sound"}) is None
    True
    """
    bad = {t for t, verdict in found.items() if verdict in BAD}
    sound = {t for t, verdict in found.items() if verdict == "sound"}
    if bad & {"wiggle", "connector_look", "terminal_fit"}:
        return Fits(
            "The connector", "It drops out, or its terminals are bad: nothing behind it counts before that."
        )
    if bad & {"injector_resistance", "injector_insulation"}:
        return Fits(
            "Electrical: the injector or its plug",
            "The coil or its insulation is off: wiggle and look at the plug before it is condemned.",
        )
    weak = bad & {"injector_balance", "cylinder_cutout", "misfire_counts"}
    if "relative_compression" in bad:
        return Fits("Compression", "It is low there" + (": the injector only seems weak." if weak else "."))
    if "injector_leakoff" in bad:
        return Fits("Leak-off", "It gives back too much: worn inside, whatever the coil reads.")
    if weak and replaced:
        return Fits("The trim code", "An injector was changed there, and it is the odd one: is its code in?")
    if weak:
        told = "compression is sound" if "relative_compression" in sound else "compression is not read yet"
        return Fits("The nozzle", f"It is weak, the coil is not to blame, and {told}.")
    return None
