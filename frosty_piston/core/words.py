"""Words put together: the one place where a title goes inside a sentence."""

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

    >>> spoken("dead_spot"), spoken("egr_valve"), spoken("nox_sensor")
    ('dead spot', 'EGR valve', 'NOx sensor')
    """
    return " ".join(SHORT_FORMS.get(word, word) for word in name.replace("_", " ").split(" "))


def listed(names: list[str], last: str = "and") -> str:
    """Write a list in a sentence.

    >>> listed(["a"]), listed(["a", "b", "c"])
    ('a', 'a, b and c')
    """
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} {last} {names[-1]}" if names else ""


def sign(unit: str | None) -> str:
    """Write a unit as it stands on an instrument.

    >>> sign("ohm"), sign("degC"), sign("bar")
    ('Ω', '°C', 'bar')
    """
    return SIGNS.get(unit or "", unit or "")
