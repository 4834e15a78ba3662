"""Trim codes of a job: what is written for each cylinder, what the control unit has, and what is open."""

from collections.abc import Iterable
from dataclasses import dataclass

from frosty_piston.core.trim import difference
from frosty_piston.job.entries import Entry, Trim
from frosty_piston.job.tape.fold import Job


@dataclass(frozen=True)
class Coding:
    """One cylinder: the code of its injector and the control unit's, empty where nobody read it; how they
    differ in words; the codes it had before, each with where it was read."""

    cylinder: int
    code: str
    unit: str
    differs: str
    earlier: tuple[tuple[str, str], ...]

    @property
    def agrees(self) -> bool:
        return bool(self.code and self.unit and not self.differs)

    @property
    def open(self) -> str:
        """Why its coding is not done, in words; empty when it is."""
        if self.differs:
            return f"cylinder {self.cylinder}: the control unit differs, {self.differs}"
        if not self.code:
            return f"cylinder {self.cylinder}: its code is not written down"
        return "" if self.unit else f"cylinder {self.cylinder}: not read back from the control unit"


def codes_of(job: Job) -> dict[int, list[Entry[Trim]]]:
    """The trim codes of each cylinder in the order in which they were written."""
    by_cylinder: dict[int, list[Entry[Trim]]] = {}
    for x in job.of(Trim):
        by_cylinder.setdefault(x.data.cylinder, []).append(x)
    return by_cylinder


def codings(job: Job, cylinders: Iterable[int], since: int = -1) -> list[Coding]:
    """The coding of some cylinders; what was read back before place `since` of the tape counts for nothing:
    it was another injector's."""
    known = codes_of(job)
    rows = []
    for cylinder in cylinders:
        on_part = [x for x in known.get(cylinder, []) if x.data.from_ != "unit"]
        unit = [x for x in known.get(cylinder, []) if x.data.from_ == "unit" and job.position[x.id] > since]
        code = on_part[-1].data.code if on_part else ""
        read = unit[-1].data.code if unit else ""
        differs = difference(code, read) if code and read else ""
        earlier = tuple((x.data.code, x.data.from_) for x in on_part if x.data.code != code)
        rows.append(Coding(cylinder, code, read, differs, earlier))
    return rows
