"""Fault codes: read them out of any text, and say what a code's own letters and digits mean."""

import re
from dataclasses import dataclass, replace

from .module_names import letter_of, module_line
from .words import sentence

LETTERS = {"P": "powertrain", "B": "body", "C": "chassis", "U": "network"}
SYSTEM_DIGITS = {
    "0": "fuel, air and emission control",
    "1": "fuel and air metering",
    "2": "fuel and air metering: injectors and boost",
    "3": "ignition, misfire and glow",
    "4": "auxiliary emission control",
    "5": "speed, idle and auxiliary inputs",
    "6": "control units and their outputs",
    "7": "transmission",
    "8": "transmission",
    "9": "transmission",
    "A": "hybrid drive",
    "B": "hybrid drive",
    "C": "hybrid drive",
    "D": "reserved",
    "E": "reserved",
    "F": "reserved",
}
FAULT_TYPE_CLASSES = {
    "0": ("general", "general fault"),
    "1": ("circuit", "electrical"),
    "2": ("range", "signal out of its range or pattern"),
    "3": ("range", "frequency or pulse"),
    "4": ("unit", "inside the control unit"),
    "5": ("unit", "programming or coding"),
    "6": ("plausibility", "does not fit other signals"),
    "7": ("performance", "mechanical"),
    "8": ("communication", "network message"),
    "9": ("performance", "the part itself"),
}
FAULT_TYPES = {
    "00": "no more detail",
    "01": "electrical fault, no more detail",
    "02": "signal fault, no more detail",
    "07": "mechanical fault, no more detail",
    "11": "short to ground",
    "12": "short to battery",
    "13": "open circuit",
    "14": "short to ground or open",
    "15": "short to battery or open",
    "16": "voltage too low",
    "17": "voltage too high",
    "18": "current too low",
    "19": "current too high",
    "1A": "resistance too low",
    "1B": "resistance too high",
    "1C": "voltage out of range",
    "1D": "current out of range",
    "1E": "resistance out of range",
    "1F": "comes and goes",
    "21": "signal too small",
    "22": "signal too large",
    "23": "signal stuck low",
    "24": "signal stuck high",
    "26": "changes too slowly",
    "27": "changes too fast",
    "28": "zero point off",
    "29": "signal invalid",
    "2F": "signal erratic",
    "49": "electronics failed inside",
    "4B": "too hot inside",
    "54": "calibration missing",
    "55": "not coded",
    "62": "two signals disagree",
    "64": "signal not plausible",
    "71": "actuator stuck",
    "72": "actuator stuck open",
    "73": "actuator stuck shut",
    "77": "position not reached",
    "7A": "leak",
    "7B": "level low",
    "81": "wrong data received",
    "87": "message missing",
    "88": "bus off",
    "92": "performance poor",
    "93": "does not work",
    "96": "part failed inside",
    "97": "blocked",
    "98": "too hot",
}
STATUS_WORDS = {
    "permanent": "permanent",
    "pending": "pending",
    "stored": "stored",
    "confirmed": "stored",
    "current": "current",
    "active": "current",
    "present": "current",
    "history": "history",
    "historic": "history",
    "intermittent": "intermittent",
    "sporadic": "intermittent",
    "passive": "history",
    "returned": "cleared_and_back",
}
STATUSES = ("stored", "current", "pending", "permanent", "intermittent", "history", "cleared_and_back")
# Words beside a code that say nothing of it.
BESIDE_STATUS = {"code", "codes", "dtc", "dtcs", "fault", "faults", "status"}
MOST_WORDING = 400
_BACK = re.compile(
    r"\b(?:cleared,? (?:and|but) (?:came )?back|(?:came|comes) back|back (?:again )?after clearing)\b"
)
_BARE = re.compile(r"(?<![A-Z0-9-])([0-3])([0-9A-F])([0-9A-F]{2})[-:/]([0-9A-F]{2})(?![A-Z0-9-])")
_CODE = re.compile(
    r"(?<![A-Z0-9])([PBCU])[ \t]?([0-3O])([0-9A-FO])([0-9A-FO]{2})(?:(?:[-:/]["
    r" \t]?|[ \t](?=F[0-9A-F](?![A-Z0-9]))|(?=[0-9A-F]{2}(?![A-Z0-9])))([0-9A-F]{2}))?(?![A-Z0-9])"
)


@dataclass(frozen=True, slots=True)
class Decoded:
    """A code's own meaning: the code as five characters, its fault-type byte, and words for the parts."""

    code: str
    fault_type: str | None
    area: str
    common: bool
    system: str
    kind: str | None
    fault_type_says: str | None

    @property
    def says(self) -> str:
        """One plain sentence for a code nobody has described."""
        whose = "common to all makers" if self.common else "the maker's own: look it up in your service data"
        tail = f"; fault type {self.fault_type}: {self.fault_type_says}" if self.fault_type else ""
        return f"{sentence(self.area)} code, {self.system}, {whose}{tail}."


def decode(code: str) -> Decoded:
    """Return what the letters and digits of a code say by themselves (public layout of ISO 15031-6).

    Accepts ``P0670``, ``P0670-13``, ``P067013``. Raises ValueError for anything else. Source: SAE J2012, ISO
    15031-6.

    >>> decode("P0670-13").fault_type_says, decode("P1234").common, decode("U0100").area
    ('open circuit', False, 'network')
    """
    match = _CODE.fullmatch(code.strip().upper())
    if not match or "O" in "".join(match.groups(default="")):
        raise ValueError(
            f"{code[:20]!r} is no fault code: a letter P, B, C or U, a digit 0 to 3 and three more, as in"
            " P0671 or P0671-13"
        )
    letter, origin, digit, rest, byte = match.groups()
    common = origin == "0" or (letter == "P" and (origin == "2" or (origin == "3" and digit in "456789")))
    system = (
        SYSTEM_DIGITS[digit]
        if letter == "P"
        else {
            "B": "body functions",
            "C": "brakes, steering, chassis",
            "U": "the network between control units",
        }[letter]
    )
    kind = says = None
    if byte:
        kind, general = FAULT_TYPE_CLASSES.get(byte[0], (None, "a type of the maker's own"))  # A to F are
        says = FAULT_TYPES.get(byte, general)
    return Decoded(
        f"{letter}{origin}{digit}{rest}",
        byte,
        LETTERS[letter],
        common=common,
        system=system,
        kind=kind,
        fault_type_says=says,
    )


@dataclass(frozen=True, slots=True)
class FoundCode:
    """A code found in pasted text: code, fault-type byte or None, status word or None, whether letters O were
    read as zero, further statuses of the same code, the tool's own wording beside it, the module in whose
    part of the text it stands, and the lines under it that hold neither code nor status nor module."""

    code: str
    fault_type: str | None
    status: str | None
    mended: bool
    also: tuple[str, ...] = ()
    text: str = ""
    module: str | None = None
    below: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class PastedBlock:
    """What a pasted block held: codes in order without repeats, the pieces that were not understood, codes
    whose letter nobody knows, and the modules that it names: those that answered and those that did not."""

    codes: tuple[FoundCode, ...]
    not_understood: tuple[str, ...]
    letterless: tuple[str, ...] = ()
    answered: tuple[str, ...] = ()
    silent: tuple[str, ...] = ()


def with_letter(code: str, letter: str) -> str:
    """Put the letter before a code that a tool printed without it.

    Parameters: `code`: four signs with or without a fault type; `letter`: P, B, C or U. Source: SAE J2012.

    >>> with_letter("0638-73", "P")
    'P0638-73'
    """
    return letter + code.strip().upper()


def is_letterless(code: str) -> bool:
    """Whether a text is a code that only wants its letter: four signs and its fault type.

    Parameters: `code`: any text. Source: SAE J2012.

    >>> is_letterless("0638-73"), is_letterless("P0638-73"), is_letterless("0638")
    (True, False, False)
    """
    return bool(_BARE.fullmatch(code.strip().upper()))


def read_block(text: str, letter: str | None = None) -> PastedBlock:
    """Find the codes in a block of text of any layout and keep the status word that stands with each.

    A status word counts for the codes of its line; a line with only status words (a heading) counts for the
    lines below it, and a line that names a module for those below it. Lines without a code or status are
    returned as not understood, shortened to 120 signs, and stand with the code above them. A code without its
    letter takes it from the words beside it, else from the module above it, else `letter` (that of the module
    that was read), else it is among the `letterless`. Source: how scan tools print codes.

    >>> block = read_block("Pending: P0671, p0380\\nsomething else\\nP0670-13 confirmed")
    >>> [(c.code, c.fault_type, c.status) for c in block.codes], block.not_understood
    ([('P0671', None, 'pending'), ('P0380', None, 'pending'), ('P0670', '13', 'stored')], ('something else',))
    >>> block = read_block("0638-73 throttle stuck\\n1525-F3")
    >>> [(c.code, c.fault_type) for c in block.codes], block.letterless
    ([('P0638', '73')], ('1525-F3',))
    >>> block = read_block("Engine control module: 1 code\\nP0401\\nGearbox: no answer")
    >>> [(c.code, c.module) for c in block.codes], block.answered, block.silent
    ([('P0401', 'Engine control module')], ('Engine control module',), ('Gearbox',))
    """
    by_code: dict[tuple[str, str | None, str | None], FoundCode] = {}
    modules: dict[str, bool] = {}
    module: str | None = None
    unknown: list[str] = []
    letterless: list[str] = []
    heading: tuple[str, ...] = ()
    last: tuple[str, str | None, str | None] | None = None
    for given in text.splitlines():
        line, wanting = _lettered(given, (module and letter_of(module)) or letter)
        letterless += wanting
        matches = list(_CODE.finditer(line.upper()))
        if not matches:
            statuses = _statuses(line)
            named = module_line(line)
            if named is not None:
                module, answers = named
                modules[module] = answers
                heading = ()
                last = None
            elif (
                statuses and not set(re.findall(r"[a-z]+", line.lower())) - set(STATUS_WORDS) - BESIDE_STATUS
            ):
                heading = statuses
            elif line.strip() and not wanting:
                unknown.append(line.strip()[:120])
                if last is not None:
                    above = by_code[last]
                    by_code[last] = replace(above, below=(*above.below, unknown[-1]))
            continue
        for i, match in enumerate(matches):
            end = matches[i + 1].start() if i + 1 < len(matches) else len(line)
            found = replace(_found(match, line[match.end() : end], _statuses(line) or heading), module=module)
            last = (found.code, found.fault_type, module)
            kept = by_code.get(last)
            if kept is not None:
                said = tuple(dict.fromkeys(x for one in (kept, found) for x in (one.status, *one.also) if x))
                found = replace(kept, status=next(iter(said), None), also=said[1:])
            by_code[last] = found
            if module is not None:
                modules[module] = True
    return PastedBlock(
        tuple(by_code.values()),
        tuple(unknown),
        tuple(dict.fromkeys(letterless)),
        tuple(name for name, answers in modules.items() if answers),
        tuple(name for name, answers in modules.items() if not answers),
    )


def _lettered(line: str, letter: str | None) -> tuple[str, list[str]]:
    """A line with the letters put before the codes that lack them, and the codes that none is known for."""
    bare = [] if _CODE.search(line.upper()) else list(_BARE.finditer(line.upper()))
    said = letter_of(_BARE.sub(" ", line.upper())) or letter if bare else None
    if said is None:
        return line, [match.group(0) for match in bare]
    for match in reversed(bare):
        line = line[: match.start()] + said + line[match.start() :]
    return line, []


def _statuses(text: str) -> tuple[str, ...]:
    """The statuses that a text names, in its order, each once."""
    words = re.findall(r"[a-z]+", _BACK.sub(" returned ", text.lower()))
    return tuple(dict.fromkeys(STATUS_WORDS[word] for word in words if word in STATUS_WORDS))


def _back_out(text: str) -> str:
    """A text without the words that say a code came back, whatever their letters' case."""
    return re.sub(_BACK.pattern, " ", text, flags=re.IGNORECASE)


def _found(match: re.Match[str], beside: str, of_line: tuple[str, ...]) -> FoundCode:
    """One code with what stands beside it; the statuses of its line hold where it has none of its own."""
    letter, *digits, byte = match.groups()
    statuses = _statuses(beside) or of_line
    words = [
        w
        for w in _back_out(beside).split()
        if w.lower().strip(":;,.()-") not in (*STATUS_WORDS, *BESIDE_STATUS)
    ]
    wording = " ".join(words).strip(" :;,-\t|")
    return FoundCode(
        letter + "".join(digits).replace("O", "0"),
        byte,
        next(iter(statuses), None),
        mended="O" in "".join(digits),
        also=statuses[1:],
        text=wording[:MOST_WORDING],
    )
