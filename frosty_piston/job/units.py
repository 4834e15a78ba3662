"""Units as people write them, and the way to SI-sized figures."""

import re
from functools import lru_cache

import pint

from frosty_piston.core.quantity import plain
from frosty_piston.core.words import sign

UNITS = {
    "ohm": "ohm",
    "kohm": "kiloohm",
    "Mohm": "megaohm",
    "V": "volt",
    "mV": "millivolt",
    "A": "ampere",
    "W": "watt",
    "mbar": "millibar",
    "kPa": "kilopascal",
    "bar": "bar",
    "psi": "psi",
    "inHg": "inHg",
    "mmHg": "mmHg",
    "degC": "degC",
    "degF": "degF",
    "km": "kilometer",
    "mi": "mile",
    "mm": "millimeter",
    "g": "gram",
    "mg": "milligram",
    "ml": "milliliter",
    "l": "liter",
    "percent": "percent",
    "s": "second",
    "min": "minute",
    "rpm": "revolutions_per_minute",
    "mm3": "millimeter**3",
    "m": "meter",
    "h": "hour",
    "km/h": "kilometer/hour",
    "mph": "mile/hour",
    "mA": "milliampere",
    "count": "count",
    "kg/h": "kilogram/hour",
    "m3/h": "meter**3/hour",
    "ppm": "ppm",
    "N m": "newton*meter",
}
ALSO = {
    "Ω": "ohm",
    "ohms": "ohm",
    "kΩ": "kohm",
    "MΩ": "Mohm",
    "Mohms": "Mohm",
    "kohms": "kohm",
    "volt": "V",
    "volts": "V",
    "amp": "A",
    "amps": "A",
    "°C": "degC",
    "C": "degC",
    "°F": "degF",
    "F": "degF",
    "%": "percent",
    "1/min": "rpm",
    "/min": "rpm",
    "Nm": "N m",
    "sec": "s",
    "miles": "mi",
    "mL": "ml",
    "L": "l",
    "mm³": "mm3",
    "m³/h": "m3/h",
}
_LOWER = {name.lower(): name for name in UNITS if name not in ("mV", "Mohm")} | {
    name.lower(): unit for name, unit in ALSO.items() if name not in ("MΩ", "Mohms")
}
OVERLOAD = {"ol", "0l", "o.l", "o.l.", "0.l", "inf", "∞", "open"}
_TYPED = re.compile(r"^([+-]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:e[+-]?\d{1,3})?)\s*(.*)$", re.I)

_GROUPS = re.compile(r"(?<=\d)[ \u00a0\u202f](?=\d{3}(?!\d))")


@lru_cache(maxsize=1)
def _registry() -> "pint.UnitRegistry[float]":
    return pint.UnitRegistry(autoconvert_offset_to_baseunit=True)


@lru_cache(maxsize=4096)
def _line(unit: str, to: str) -> tuple[float, float]:
    at = [_registry().Quantity(x, UNITS[unit]).to(UNITS[to]).magnitude for x in (0.0, 1.0)]
    return at[0], at[1] - at[0]


def convert(value: float, unit: str, to: str) -> float:
    """Turn a value into another unit of the same kind.

    >>> round(convert(29.92, "inHg", "kPa"), 1), round(convert(20, "degF", "degC"), 1)
    (101.3, -6.7)
    """
    if unit == to:
        return value
    offset, slope = _line(unit, to)
    return offset + value * slope


@lru_cache(maxsize=4096)
def same_kind(unit: str, other: str) -> bool:
    """Tell whether two units measure the same thing."""
    return unit == other or bool(
        _registry().Unit(UNITS[unit]).dimensionality == _registry().Unit(UNITS[other]).dimensionality
        and (unit in ("percent", "ppm")) == (other in ("percent", "ppm"))
    )


_FIGURE = r"(?<![\d.])-?\d+(?:[ \u00a0]\d{3})*(?:\.\d+)?"


def retold(text: str, unit: str, to: str) -> str:
    """Write the figures of one unit in a sentence in another; spans of them keep together. Temperatures stay:
    a difference of them is no temperature.

    >>> retold("5 to 8 kPa below the air, over 3 s", "kPa", "mbar"), retold("0.203 MΩ", "Mohm", "kohm")
    ('50 to 80 mbar below the air, over 3 s', '203 kΩ')
    """
    if convert(0.0, unit, to) != 0:
        return text
    spans = rf"({_FIGURE}(?: (?:to|and|±) {_FIGURE})*)[ \u00a0]{re.escape(sign(unit))}(?![\w³/])"

    def turned(figure: re.Match[str]) -> str:
        return plain(convert(number(figure[0]), unit, to))

    return re.sub(spans, lambda span: f"{re.sub(_FIGURE, turned, span[1])} {sign(to)}", text)


def convertible(unit: str) -> bool:
    """Whether a unit is one that people write and that can be turned into others."""
    return unit in UNITS


def allowed() -> str:
    return ", ".join(UNITS)


def unit_named(text: str) -> str | None:
    """The unit a technician means by what was typed, None when it is no unit of ours."""
    text = text.strip()
    if text in UNITS:
        return text
    return ALSO.get(text) or _LOWER.get(text.lower())


def number(text: str) -> float:
    """Read a plain number as typed: decimal comma or point, thousands in groups or not. Raises ValueError.

    >>> number("184 200"), number("0,8")
    (184200.0, 0.8)
    """
    return float(_GROUPS.sub("", text.strip()).replace(",", "."))


def _as_on_the_meter(rest: str, unit: str) -> str | None:
    """The unit behind a figure as an ohmmeter shows it, `k` or `M` alone."""
    return {"k": "kohm", "K": "kohm", "M": "Mohm"}.get(rest) if unit in ("ohm", "kohm", "Mohm") else None


def typed(text: str, unit: str, overload: bool = False) -> tuple[float | str, str]:
    """Read a figure as typed: decimal comma or point, a unit behind it or not, `OL` where the meter can show
    it.

    Raises ValueError with a sentence that names what is allowed.

    >>> typed("12,6V", "V"), typed("450 mbar", "kPa"), typed("ol", "ohm", True), typed("185k", "ohm")
    ((12.6, 'V'), (450.0, 'mbar'), ('OL', 'ohm'), (185.0, 'kohm'))
    """
    text = text.replace(" ", " ").replace("−", "-").strip()
    if text.lower() in OVERLOAD:
        if overload:
            return "OL", unit
        raise ValueError(f"OL cannot be read here; a figure in {sign(unit)} is wanted")
    match = _TYPED.match(_GROUPS.sub("", text))
    if not match:
        shown = text if len(text) <= 20 else text[:20] + "…"
        raise ValueError(
            f"{shown!r} is no figure; write one in {sign(unit)}, as 0.8 or 0,8"
            + (" or OL" if overload else "")
        )
    rest = match.group(2).strip()
    got = unit if not rest else _as_on_the_meter(rest, unit) or unit_named(rest)
    if got is None:
        raise ValueError(f"{rest[:12]!r} is no unit known here; allowed: {sign(unit)} and its like")
    if not same_kind(got, unit):
        raise ValueError(f"{sign(got)} does not fit; this is read in {sign(unit)}")
    return float(match.group(1).replace(",", ".")), got
