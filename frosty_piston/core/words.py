"""Words put together: sentences, titles inside them, figures with their units, how many of something."""

import re

SIGNS = {
    "ohm": "Ω",
    "kohm": "kΩ",
    "Mohm": "MΩ",
    "degC": "°C",
    "degF": "°F",
    "percent": "%",
    "mm3": "mm³",
    "m3/h": "m³/h",
}
SHORT_FORMS = {"egr": "EGR", "def": "DEF", "nox": "NOx", "dpf": "DPF", "scr": "SCR"}


def inside(title: str) -> str:
    """Write a title inside a sentence: its first letter small, unless it is a short form.

    >>> inside("Boost hose leaks"), inside("EGR valve stuck"), inside("V8 engine"), inside("NOx sensor")
    ('boost hose leaks', 'EGR valve stuck', 'V8 engine', 'NOx sensor')
    """
    second = title[1:2]
    return title if second.isupper() or second.isdigit() else title[:1].lower() + title[1:]


def spoken(name: str) -> str:
    """Write an id as words; short forms keep their case.

    Parameters: `name`: an id.

    >>> spoken("dead_spot"), spoken("egr_valve"), spoken("nox_sensor")
    ('dead spot', 'EGR valve', 'NOx sensor')
    """
    return " ".join(SHORT_FORMS.get(word, word) for word in name.replace("_", " ").split(" "))


def listed(names: list[str], last: str = "and") -> str:
    """Write a list in a sentence.

    Parameters: `names`: the words; `last`: the word before the last.

    >>> listed(["a"]), listed(["a", "b", "c"])
    ('a', 'a, b and c')
    """
    if len(names) == 1:
        return names[0]
    if names:
        return f"{', '.join(names[:-1])} {last} {names[-1]}"
    return ""


def sign(unit: str | None) -> str:
    """Write a unit as it stands on an instrument.

    Source: ISO 80000.

    >>> sign("ohm"), sign("degC"), sign("bar")
    ('Ω', '°C', 'bar')
    """
    return SIGNS.get(unit or "", unit or "")


def sentence(text: str) -> str:
    """Write words as the start of a sentence: the first letter large, the rest as it is.

    Parameters: `text`: the text.

    >>> sentence("bath of EGR cleaner"), sentence("NOx sensor"), sentence("")
    ('Bath of EGR cleaner', 'NOx sensor', '')
    """
    return text[:1].upper() + text[1:]


def counted(number: int, one: str, many: str = "") -> str:
    """Write how many there are of something.

    Parameters: `number`: how many; `one`: the word for one.

    >>> counted(1, "pull"), counted(3, "pull"), counted(2, "entry", "entries")
    ('1 pull', '3 pulls', '2 entries')
    """
    return f"{grouped(number)} {one if number == 1 else many or one + 's'}"


def grouped(number: int) -> str:
    """Write a whole number in groups of three, which never part.

    Source: ISO 80000.

    >>> grouped(950), grouped(184200), grouped(-3000)
    ('950', '184\\xa0200', '-3\\xa0000')
    """
    return f"{number:,}".replace(",", "\u00a0")


UNITS = "%|°C|kΩ|MΩ|Ω|mV|V|A|W|kPa|bar|mg|g|ml|l|mm³|m³/h|mm|km/h|km|ppm|rpm|min|s|h|N m"
_BESIDE = re.compile(rf"(?<=\d) (?=(?:{UNITS})(?![\w³])|\d{{3}}(?!\d)|± )|(?<=\d ±) (?=\d)")


def bound(text: str) -> str:
    """Tie figures to their units, so that no line breaks between them.

    Parameters: `text`: the text. Source: ISO 80000.

    >>> bound("99 % at 12.4 V, 3 valves"), bound("2 ± 0.1 V")
    ('99\\xa0% at 12.4\\xa0V, 3 valves', '2\\xa0±\\xa00.1\\xa0V')
    """
    return _BESIDE.sub("\u00a0", text)


# What ids of cards, figures and kinds are called where their own words do not say it.
CALLED = {
    "rod_12v": "12 V rod",
    "fast_7v": "7 V fast",
    "fast_5v": "5 V fast",
    "rail_solenoid": "rail, solenoid",
    "rail_piezo": "rail, piezo",
    "vgt_vacuum": "variable, vacuum",
    "vgt_electric": "variable, electric",
    "high_pressure": "high pressure",
    "low_pressure": "low pressure",
    "inline_pump": "in-line pump",
    "q_m3h": "exhaust flow, m3/h",
    "dp_kpa": "pressure drop, kPa",
    "wiggle_s": "seconds wiggling",
    "rest_s": "seconds hands off",
    "dropouts": "dropouts wiggling",
    "rest_dropouts": "dropouts hands off",
    "start_kpa": "start, kPa",
    "end_kpa": "end, kPa",
    "kpa": "vacuum, kPa",
    "mm": "travel, mm",
    "flicker_kpa": "needle flicker, kPa",
    "altitude_m": "altitude, m",
    "air_mg_stroke": "air, mg per stroke",
    "manifold_kpa": "manifold, kPa absolute",
    "intake_c": "intake air, °C",
    "rpm": "speed, rpm",
    "up_ppm": "before, ppm",
    "down_ppm": "after, ppm",
    "expected_ml": "expected, ml",
    "measured_ml": "measured, ml",
    "bar": "pressure, bar",
    "held_bar": "after the wait, bar",
    "drop_v": "drop, V",
    "current_a": "current, A",
    "count": "misfires",
    "egr": "EGR",
    "before_bar": "before the filter, bar",
    "after_bar": "after the filter, bar",
    "volts_at_pump": "volts at the pump",
    "oil_c": "oil, °C",
    "coolant_c": "coolant, °C",
    "stops_holds": "stops at once, gauge holds",
    "slow_holds": "stops slowly, gauge holds",
    "stops_leaks": "stops at once, gauge falls back",
    "slow_leaks": "stops slowly, gauge falls back",
    "no_stop": "does not stop, gauge holds",
    "no_stop_leaks": "does not stop, gauge falls back",
    "stroke_up": "on the way up",
    "passes_off": "passes with the key off",
    "seals_on": "seals with the key on",
}


def called(name: object) -> str:
    """Write an id as a workshop says it.

    Parameters: `name`: an id.

    >>> called("rail_piezo"), called("egr_valve")
    ('rail, piezo', 'EGR valve')
    """
    return CALLED.get(str(name), spoken(str(name)))
