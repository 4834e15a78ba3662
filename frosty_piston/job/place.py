"""Where something is done: a page of the job and a part of it, or a test at its spot; the pages make
addresses of it."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any

from frosty_piston.knowledge import Knowledge

SPOTS = ("point", "node", "cylinder", "channel", "pin")


class Page(StrEnum):
    """The pages of a job on which something is done."""

    ARRIVE = "arrive"
    NARROW = "narrow"
    MEASURE = "measure"
    DECIDE = "decide"
    FIT = "fit"
    PROVE = "prove"
    REPORT = "report"
    RESETS = "resets"
    TRIM = "trim"
    TRACES = "traces"
    WHY = "why"


class Part(StrEnum):
    """The parts of a page that are asked for by name; a step and a proof are one of several."""

    CODES = "codes"
    CONSENT = "consent"
    WAITS = "waits"
    PIECES = "pieces"
    DONE = "done"
    BURN = "burn"
    DRIVES = "drives"
    HANDOVER = "handover"
    STEP = "step"
    PROOF = "proof"


@dataclass(frozen=True)
class Place:
    """Where something is done. `of`: which bench, recording, plan or fault the page is about; `item`: which
    step or proof; `test` and `spot`: a test, and the point, part or cylinder that it is made at."""

    page: Page
    of: str = ""
    part: Part | None = None
    item: str = ""
    test: str = ""
    spot: Mapping[str, object] = field(default_factory=dict)

    def as_open(self) -> dict[str, Any]:
        """The place as the assessment and the lists print it."""
        shown: dict[str, Any] = {"page": f"{self.page}/{self.of}" if self.of else str(self.page)}
        if self.part is not None:
            shown["at"] = f"{self.part}-{self.item}" if self.item else str(self.part)
        if self.test:
            shown |= {"test": self.test, **self.spot}
        return shown


def bench_of(knowledge: Knowledge, test: str, node: str = "") -> str:
    """Which bench a test is made on, else its own card."""
    return knowledge.bench_of.get((test, node)) or knowledge.bench_of.get((test, "")) or f"test/{test}"


def test_place(knowledge: Knowledge, test: str, where: Mapping[str, object] | None = None) -> Place:
    """Return where a test is made, with the point, part or cylinder it is made at."""
    spot = {key: value for key, value in (where or {}).items() if key in SPOTS}
    return Place(Page.MEASURE, bench_of(knowledge, test, str(spot.get("node", ""))), test=test, spot=spot)
