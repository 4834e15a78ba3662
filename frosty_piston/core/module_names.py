"""Modules by name: which letter their codes have, and which lines of a read-out name one."""

import re

# Words beside a code, or of the module that gave it, that say which letter it has where the tool leaves it
# out.
LETTER_WORDS = {
    "U": "communication network bus message gateway",
    "C": "brake brakes abs chassis steering suspension wheel",
    "B": "body airbag climate door seat comfort instrument",
    "P": "engine powertrain ecm ecu pcm transmission gearbox injector injection fuel rail glow egr turbo"
    " turbocharger boost exhaust nox def scr dpf coolant air intake throttle crankshaft camshaft cylinder"
    " particulate dosing",
}
# What a module's name is made of beside these, and the words of which it holds one at least.
_NAME_WORDS = (
    "module control controller unit ecu electronic electronics system management aftertreatment cluster"
    " central tcm vehicle and the of reductant immobiliser parking aid column selective catalytic reduction"
)
_ONE_OF = (
    "module control controller unit ecu ecm pcm tcm abs network gateway engine transmission gearbox brakes"
    " airbag body aftertreatment powertrain immobiliser dosing"
)
_ALL_WORDS = frozenset(" ".join((*LETTER_WORDS.values(), _NAME_WORDS)).split())
_SILENT = re.compile(
    r"(no (answer|response|communication|reply|connection)|silent|timed? ?out"
    r"|(not|does not|did not) (respond|responding|answer|answering|reachable|communicating))"
)
_ANSWERED = re.compile(
    r"(ok|\(?\d{1,3}\)?|(no|\d{1,3}) (stored )?(fault |trouble )?(codes?|faults?|dtcs?)( stored| found)?)?"
)
MOST_NAME = 60


def letter_of(words: str) -> str | None:
    """Return which letter a code has by the words beside it, or the name of its module; None where they say
    nothing, or two things.

    Parameters: `words`: any text. Source: the areas of SAE J2012 in the words of scan tools.

    >>> letter_of("Injector 2 circuit"), letter_of("ABS"), letter_of("no communication with gearbox")
    ('P', 'C', 'U')
    >>> letter_of("status 12") is None
    True
    """
    said = set(re.findall(r"[a-z]+", words.lower()))
    if said & set(LETTER_WORDS["U"].split()):
        return "U"
    named = [letter for letter, known in LETTER_WORDS.items() if said & set(known.split())]
    return named[0] if len(named) == 1 else None


def module_line(line: str) -> tuple[str, bool] | None:
    """Return the module that a line of a read-out names, and whether it answered; None where the line is no
    heading of a module.

    Parameters: `line`: one line without a code in it. Source: how scan tools list modules.

    >>> module_line("Engine control module - 3 faults"), module_line("ABS: no response")
    (('Engine control module', True), ('ABS', False))
    >>> module_line("engine ran rough") is None
    True
    """
    parted = re.sub(r"\s+[-\u2013|]+\s+|\t+|=", ":", line)
    name, _, state = (part.strip() for part in parted.partition(":"))
    state = " ".join(re.sub(r"[.,;!*]", " ", state.lower()).split())
    words = set(re.findall(r"[a-z]+", name.lower()))
    if len(name) > MOST_NAME or words - _ALL_WORDS or not words & set(_ONE_OF.split()):
        return None
    if _SILENT.fullmatch(state):
        return name, False
    return (name, True) if _ANSWERED.fullmatch(state) else None
