"""A freeze frame as it is pasted or typed: figures with names and units, one a line, in any layout."""

import re
from dataclasses import dataclass

from frosty_piston.job.units import UNITS, convert, number, unit_named
from frosty_piston.knowledge import Knowledge

from .channel_map import best_channel, in_unit, shape_of

MOST_LINES = 60
MOST_SIGNS = 20_000
_LINE = re.compile(r"^(.*?[A-Za-z)\]].*?)[\s:=;,|]+([-−]?[0-9][0-9.,]*)\s*([^0-9\s].{0,12})?$")


@dataclass(frozen=True)
class ReadFrame:
    """The figures of a frame as entries carry them, and the lines that were not understood."""

    figures: tuple[dict[str, float | str], ...]
    not_understood: tuple[str, ...]


def read_frame(text: str, knowledge: Knowledge) -> ReadFrame:
    """Read the figures stored with a code out of any text. A line that names no known channel, or a unit that
    cannot be its own, is not understood."""
    figures: dict[str, dict[str, float | str]] = {}
    unknown = []
    for line in filter(None, (given.strip() for given in text[:MOST_SIGNS].splitlines()[: 4 * MOST_LINES])):
        figure = _figure(line, knowledge)
        if figure is None:
            unknown.append(line[:120])
        else:
            figures[str(figure["channel"])] = figure
    return ReadFrame(tuple(figures.values())[:MOST_LINES], tuple(unknown))


def _figure(line: str, knowledge: Knowledge) -> dict[str, float | str] | None:
    match = _LINE.match(line)
    if match is None:
        return None
    name = match.group(1)
    digits = match.group(2).replace("−", "-")
    unit = (match.group(3) or "").strip()
    channel = best_channel(name, knowledge)
    shape = shape_of(channel, knowledge) if channel else None
    taken = in_unit(unit, shape.unit) if shape else None
    if channel is None or shape is None or taken is None:
        return None
    try:
        value = number(digits)
    except ValueError:
        return None
    own = unit_named(unit) if unit else shape.unit
    if own in UNITS and unit:
        return {"channel": channel, "value": value, "unit": str(own)}
    named, factor = taken
    in_own = (
        value * factor
        if named == shape.unit or not shape.unit
        else convert(value * factor, named, shape.unit)
    )
    return {"channel": channel, "value": in_own, "unit": shape.unit if shape.unit in UNITS else ""}
