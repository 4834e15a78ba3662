"""Values with their uncertainty, and the judgement that a test result turns into."""

import math
from dataclasses import dataclass

from .words import sign

ABSOLUTE_ZERO_C = -273.15
VERDICTS = ("sound", "marginal", "failed", "unclear", "implausible")


def kelvin(celsius: float) -> float:
    """Return a temperature in kelvin. Raises ValueError at absolute zero and under it.

    Parameters: `celsius`: C. Source: ISO 80000-5.

    >>> kelvin(20.0)
    293.15
    """
    if celsius <= ABSOLUTE_ZERO_C:
        raise ValueError(f"{celsius:g} C is colder than anything can be")
    return celsius - ABSOLUTE_ZERO_C


@dataclass(frozen=True, slots=True)
class Measured:
    """A value with the interval it may really lie in.

    The interval need not be symmetric: a meter whose leads were never zeroed can only read too high.
    """

    value: float
    low: float
    high: float

    @property
    def u(self) -> float:
        """Half width of the interval, the uncertainty to print."""
        return (self.high - self.low) / 2

    def straddles(self, limit: float) -> bool:
        """True when the value may lie on either side of the limit.

        Source: an interval.

        >>> Measured(1.0, 0.95, 1.05).straddles(1.02)
        True
        """
        return self.low < limit < self.high


@dataclass(frozen=True, slots=True)
class Judgement:
    """What a reading is worth: verdict, class, figure, uncertainty and the reason in plain words.
    `not_these`: for an unclear one, the classes that it rules out all the same. `typed`: figure,
    uncertainty and unit as the reading was typed, where that was another unit."""

    verdict: str
    cls: str
    value: float | None
    unit: str | None
    uncertainty: float | None
    because: str
    not_these: tuple[str, ...] = ()
    typed: tuple[float, float | None, str] | None = None

    @property
    def said(self) -> str:
        """The figure as it is printed everywhere: in the unit it was typed in, with its uncertainty; empty
        without one."""
        value, u, unit = self.typed or (self.value, self.uncertainty, self.unit)
        return "" if value is None or not unit else f"{plus_minus(value, u)}\u00a0{sign(unit)}"

    def __post_init__(self) -> None:
        if self.verdict not in VERDICTS:
            raise ValueError(f"verdict must be one of {', '.join(VERDICTS)}, not {self.verdict!r}")


def meter_uncertainty(
    shown: float, accuracy_percent: float, accuracy_digits: float, resolution: float
) -> float:
    """Return how far off a meter may be at the value it shows: ``u = a*|shown| + n*resolution``.

    Parameters: `shown`: the shown value; `accuracy_percent`: accuracy in percent; `accuracy_digits`: digits;
    `resolution`: step of the last digit. Returns the half width in that unit. Source: the way meter data
    sheets state accuracy.

    >>> round(meter_uncertainty(1.0, 0.8, 3, 0.01), 4)
    0.038
    """
    return abs(shown) * accuracy_percent / 100 + accuracy_digits * resolution


def combined(*parts: float) -> float:
    """Combine independent uncertainties as the root of the sum of squares.

    Parameters: `parts`: the independent uncertainties. Source: independent errors.

    >>> combined(3.0, 4.0)
    5.0
    """
    return math.hypot(*parts)


def plain(value: float) -> str:
    """Write a figure as a technician would: to the hundredth or three significant digits, no exponent, no
    trailing zeros, thousands in groups.

    Parameters: `value`: the value. Source: how a meter is read out.

    >>> plain(0.8), plain(12.3456), plain(1680.0), plain(-0.05), plain(2e6), plain(212.34), plain(0.03456)
    ('0.8', '12.35', '1\\xa0680', '-0.05', '2\\xa0000\\xa0000', '212.3', '0.0346')
    """
    if value == 0 or not math.isfinite(value):
        return "0" if value == 0 else "endless"
    size = math.floor(math.log10(abs(value)))
    digits = 2 - size if size < 0 else max(0, min(2, 3 - size))
    text = f"{round(value, digits):,.{digits}f}".replace(",", "\u00a0")
    return text.rstrip("0").rstrip(".") if "." in text else text


def exact(value: float) -> str:
    """Write a figure just as it was given, without an exponent and without trailing zeros.

    Parameters: `value`: the figure.

    >>> exact(12.613), exact(200.0), exact(0.00001), exact(1e8)
    ('12.613', '200', '0.00001', '100000000')
    """
    text = f"{value:.10f}"
    return text.rstrip("0").rstrip(".")


def hours_said(hours: float) -> str:
    """Write a span of hours as people say it: minutes under an hour.

    Parameters: `hours`: h, 0 or more. Source: how people say it.

    >>> hours_said(24), hours_said(0.5), hours_said(1.2), hours_said(0.6667)
    ('24 h', '30 min', '1 h 12 min', '40 min')
    """
    whole, minutes = divmod(round(hours * 60), 60)
    said = [f"{whole} h" if whole else "", f"{minutes} min" if minutes else ""]
    return " ".join(filter(None, said)) or "0 min"


def plus_minus(value: float, u: float | None) -> str:
    """Write a value with its uncertainty, both to the digit that the uncertainty still says something about.

    Parameters: `u`: half the width of its interval, None when not known. Source: the usual rounding of an
    uncertainty.

    >>> plus_minus(0.8, 0.0494), plus_minus(212, 4.2), plus_minus(12.3456, 0.138), plus_minus(5, None)
    ('0.80 ± 0.05', '212 ± 4', '12.35 ± 0.14', '5')
    """
    if not u or not math.isfinite(u):
        return plain(value)
    digits = -math.floor(math.log10(u))
    if round(u * 10**digits) == 1:
        digits += 1
    digits = max(0, digits)
    return f"{value:.{digits}f} ± {u:.{digits}f}"


def percent(share: float) -> str:
    """Write a share as whole percent, never 0 or 100 for something that is neither.

    Source: how people say a share.

    >>> percent(0.624), percent(0.0004), percent(0.9998), percent(1.0)
    ('62 %', 'under 1 %', 'over 99 %', '100 %')
    """
    if 0 < share <= 0.005:
        return "under 1 %"
    if 0.995 <= share < 1:
        return "over 99 %"
    return f"{round(share * 100)} %"
