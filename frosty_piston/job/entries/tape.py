"""What the tape itself needs."""

import re
from typing import Annotated, Any, Literal

from pydantic import Field

from frosty_piston.core.words import spoken
from frosty_piston.knowledge import Knowledge

from .kind import Against, EntryData, EntryId, Id, OnTape, Short, Text, Wrong, one_of


class Tick(EntryData):
    """A caution read and acknowledged. `how`: what was written down with it, as how the engine will be
    stopped."""

    caution: Id
    how: Text | None = None

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        return f"Read and understood: {knowledge.cautions[self.caution].title}" + (
            f". {self.how}" if self.how else ""
        )

    def wrong(self, against: Against) -> list[Wrong]:
        return one_of("caution", self.caution, against.knowledge.cautions)


class CardChange(EntryData):
    """The engine card or vehicle of this job was changed: field to old and new."""

    changes: dict[Short, tuple[Any, Any]]

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        return f"Changed: {', '.join(_named(key) for key in self.changes)}"


def _named(field: str) -> str:
    """The field of a card in words, without its unit."""
    return spoken(re.sub(r"_(l|km|ohm|rpm|ml|bar|percent|m|kpa|c)$", "", field))


class Note(EntryData):
    text: Text

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        return self.text


Hash = Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
SHOWS = {
    "find": "what was found",
    "before": "before",
    "after": "after",
    "hardware": "what came off",
    "piece": "a piece",
    "warning": "what was warned of",
    "face": "a connector face",
    "part": "a part",
}


class Picture(EntryData):
    """A picture kept beside the tape, named by the hash of its content. `about`: the entry it belongs to;
    `step`: the step of a plan; `node`: the part; `copy_of`: the picture this one is a marked copy of;
    `paper`: it stands on the report."""

    image: Hash
    shows: Literal["find", "before", "after", "hardware", "piece", "warning", "face", "part"] = "find"
    about: EntryId | None = None
    step: Short | None = None
    node: Id | None = None
    note: Short | None = None
    copy_of: Hash | None = None
    paper: bool = False

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        what = "Marked picture" if self.copy_of else "Picture"
        return f"{what} of {SHOWS[self.shows]}{f': {self.note}' if self.note else ''}"

    def wrong(self, against: Against) -> list[Wrong]:
        return against.stands_before("about", self.about) if self.about else []


Lines = Annotated[list[Text], Field(max_length=40)]


class Shift(EntryData):
    """The job handed on from one person to the next, or taken over (`takes`: the handing-on)."""

    did: Lines = []
    bench: Lines = []
    running: Lines = []
    next: Text | None = None
    note: Text | None = None
    takes: EntryId | None = None

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        if self.takes is not None:
            return "Taken over"
        return f"Handed on{f': {self.note}' if self.note else ''}"

    def wrong(self, against: Against) -> list[Wrong]:
        return against.stands_before("takes", self.takes) if self.takes else []


class Unreadable(EntryData):
    """What stands on a tape and cannot be read by this program: kept as it is and passed over. No file and no
    form can bring one."""

    was: str
    why: str

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        return f"Unreadable here, kept as it is ({self.was}): {self.why}"


class Correction(EntryData):
    corrects: EntryId
    reason: Text

    def says(self, knowledge: Knowledge, on_tape: OnTape) -> str:
        target = on_tape.get(self.corrects)
        taken_back = target.data.says(knowledge, on_tape) if target else self.corrects
        return f"Takes back: {taken_back} ({self.reason})"

    def wrong(self, against: Against) -> list[Wrong]:
        return against.stands_before("corrects", self.corrects)


KINDS: dict[str, type[EntryData]] = {
    "tick": Tick,
    "card_change": CardChange,
    "note": Note,
    "correction": Correction,
    "shift": Shift,
    "picture": Picture,
}
