"""From the columns of a file to channels: what a name most likely means, and the way into the channel's own
unit."""

import re
from dataclasses import dataclass

import numpy as np

from frosty_piston.job.units import convert, same_kind, unit_named
from frosty_piston.knowledge import Knowledge
from frosty_piston.knowledge.shapes import ChannelShape

from .recording import Column, Recording

LARGEST = 1e11  # the largest figure that any instrument shows, in any unit; beyond it nothing was read
SCALED = {
    "hpa": ("mbar", 1.0),
    "mpa": ("bar", 10.0),
    "pa": ("kPa", 0.001),
    "g/s": ("kg/h", 3.6),
    "mg/str": ("mg", 1.0),
    "mg/stroke": ("mg", 1.0),
    "mg/hub": ("mg", 1.0),
    "mg/h": ("mg", 1.0),
    "mm3/str": ("mm3", 1.0),
    "mm³/str": ("mm3", 1.0),
    "km/h": ("km/h", 1.0),
    "kph": ("km/h", 1.0),
    "mph": ("km/h", 1.609344),
    "deg c": ("degC", 1.0),
    "deg f": ("degF", 1.0),
}
UNNAMED = ("", "-", "none", "bool")
LEFT_OUT = ""
OUT_OF_REACH = 0.1


@dataclass(frozen=True)
class Mapped:
    """A column taken for a channel: the unit it is in, with the sentence that says what was done; `channel`
    empty: left out."""

    column: int
    channel: str
    unit: str
    why: str


def _words(name: str) -> list[str]:
    spaced = re.sub(r"(?<=[a-z])(?=[A-Z])|(?<=[A-Z])(?=[A-Z][a-z])", " ", name.replace("NOx", "Nox"))
    return re.sub(r"[^a-z0-9]+", " ", re.sub(r"(?<=[a-z])(?=\d)", " ", spaced.lower())).split()


def _fits(words: list[str], shape: ChannelShape) -> int:
    """How many words of the best entry stand in a name; 0 when none fits."""

    def there(alternatives: str) -> bool:
        return any(w in words for w in alternatives.split("|"))

    if any(there(entry) for entry in shape.not_):
        return 0
    return max(
        (len(entry.split()) for entry in shape.words if all(there(part) for part in entry.split())), default=0
    )


def guess(recording: Recording, knowledge: Knowledge) -> list[Mapped]:
    """What each column most likely is. Each channel is given once, to the column whose name fits it best."""
    scored = []
    for column in recording.columns:
        words = _words(column.name)
        for key, shape in knowledge.channels.items():
            if score := _fits(words, shape):
                number = next((w for w in words if w.isdigit()), "")
                unit_fits = in_unit(column.unit, shape.unit) is not None
                scored.append(
                    (
                        score + 0.6 * unit_fits - 0.05 * len(words),
                        column.index,
                        f"{key}_{number or 1}" if shape.numbered else key,
                        key,
                    )
                )
    taken: dict[int, str] = {}
    for _, index, channel, _ in sorted(scored, key=lambda x: -x[0]):
        if index not in taken and channel not in taken.values():
            taken[index] = channel
    return [mapped(c, taken.get(c.index, LEFT_OUT), c.unit, recording, knowledge) for c in recording.columns]


def best_channel(name: str, knowledge: Knowledge) -> str | None:
    """The channel that a name most likely means; None when it says nothing known here."""
    words = _words(name)
    scored = [(_fits(words, shape), key) for key, shape in knowledge.channels.items()]
    score, key = max(scored)
    number = next((w for w in words if w.isdigit()), "1")
    if not score:
        return None
    if knowledge.channels[key].numbered:
        return f"{key}_{number}"
    return key


def shape_of(channel: str, knowledge: Knowledge) -> ChannelShape | None:
    """The shape of a channel, numbered ones by their stem."""
    return knowledge.channels.get(channel) or knowledge.channels.get(re.sub(r"_\d+$", "", channel))


def in_unit(text: str, unit: str) -> tuple[str, float] | None:
    """The unit a file means and its factor, when it can be brought into the channel's unit; None when it
    cannot."""
    name, factor = SCALED.get(text.strip().lower(), (unit_named(text) or "", 1.0))
    if text.strip().lower() in UNNAMED or not unit:
        return unit, 1.0
    if name == unit or name and unit not in ("", "km/h") and name != "km/h" and same_kind(name, unit):
        return name, factor
    return None


def mapped(column: Column, channel: str, unit: str, recording: Recording, knowledge: Knowledge) -> Mapped:
    """A column as it would be taken, with what speaks against it."""
    shape = shape_of(channel, knowledge)
    if shape is None:
        return Mapped(
            column.index,
            LEFT_OUT,
            unit,
            (
                "left out: its name says nothing known here"
                if not channel
                else f"{channel} is no channel known here"
            ),
        )
    taken = in_unit(unit, shape.unit)
    if taken is None:
        return Mapped(
            column.index, channel, unit, f"{unit} cannot be turned into {shape.unit}: choose its unit"
        )
    values = converted(recording.values[column.index], unit, shape.unit)
    known = values[np.isfinite(values)]
    outside = float(np.mean((known < shape.low) | (known > shape.high))) if len(known) else 0.0
    if outside > OUT_OF_REACH:
        return Mapped(
            column.index,
            channel,
            unit,
            f"{round(outside * 100)} % of it lies outside {shape.low:g} to {shape.high:g} {shape.unit}: is it"
            " this channel, and this unit?",
        )
    if unit.strip().lower() in UNNAMED:
        says = f"taken as {shape.unit}"
    elif taken == (shape.unit, 1.0):
        says = "as it is"
    else:
        says = f"{unit} turned into {shape.unit}"
    return Mapped(column.index, channel, unit, says)


def converted(values: np.ndarray, unit: str, to: str) -> np.ndarray:
    """Bring values into a channel's unit. Raises ValueError when that cannot be done."""
    found = in_unit(unit, to)
    if found is None:
        raise ValueError(f"{unit} cannot be turned into {to}")
    name, factor = found
    figures = np.where(np.abs(values) > LARGEST, np.nan, values).astype(np.float64)
    if name == to or not to:
        return figures * factor
    offset = convert(0.0, name, to)
    at_one = convert(1.0, name, to)
    return offset + (at_one - offset) * factor * figures
