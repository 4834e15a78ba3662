"""Holds knowledge and judges against each other before anything is judged: what one names the other knows."""

from functools import lru_cache

from frosty_piston.core.errors import BadKnowledge
from frosty_piston.job.units import UNITS
from frosty_piston.knowledge import Knowledge
from frosty_piston.knowledge.reader import Reader

from . import ANSWERS, JUDGES, OF_EVERY_JUDGE

TESTS = "tests.toml"
# Units of figures that nobody reads on an instrument.
OF_FIGURES = ("K", "1/min", "bit")


@lru_cache(maxsize=8)
def hold(knowledge: Knowledge) -> Knowledge:
    """Return the knowledge where each finding names what its judge answers, each test that takes figures has
    its judge, and every unit is known. Raises BadKnowledge with file, line, key and what is allowed."""
    read = Reader(knowledge.folder)
    for test, shape in knowledge.tests.items():
        if (shape.units or shape.figures) and test not in JUDGES:
            says = "it takes figures and has no judge, so they would say nothing; give it one in job/judging"
            raise BadKnowledge(read.says(TESTS, [test], says))
        for unit in [*shape.units, *shape.cell_units.values()]:
            _known_unit(read, TESTS, [test, "units"], unit)
    for test, findings in knowledge.findings.items():
        if test not in JUDGES:
            continue
        allowed = {*ANSWERS[test], *OF_EVERY_JUDGE, *knowledge.tests[test].outcomes}
        for known in findings:
            apart = {name for shape in known.shape.told_apart.values() for name in shape.into.values()}
            read.all_known(known.file, [test], known.finding.outcomes, allowed | apart)
    for name, row in knowledge.limit_rows.rows.items():
        _known_unit(read, f"figures/{row.area}.toml", [name, "unit"], row.unit, OF_FIGURES)
    for name, channel in knowledge.channels.items():
        _known_unit(read, "channels.toml", [name, "unit"], channel.unit)
    return knowledge


def _known_unit(read: Reader, name: str, path: list[str], unit: str, more: tuple[str, ...] = ()) -> None:
    if unit:
        read.known(name, path, unit, {*UNITS, *more})
