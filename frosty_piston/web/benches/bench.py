"""What a bench is: when it fits, what it shows, and what a written value sends back."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlencode

from frosty_piston.job.repair.contacts import comes_and_goes
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.frame.forms import Form

Shows = Callable[[JobRecord, Workshop, Form], dict[str, Any]]
Step = tuple[str, str]
ON_BENCH = "on_"  # before the name of a field that a cell carries for its bench alone


def steps_of(record: JobRecord, workshop: Workshop, bench: str) -> list[Step]:
    """The tests of a bench that this engine card has, each with its part."""
    knowledge = workshop.knowledge
    engine = record.job.engine
    if engine.rules_out(knowledge.benches[bench].needs):
        return []
    steps = []
    for test, node in knowledge.benches[bench].steps:
        if (
            engine.rules_out(knowledge.tests[test].needs)
            or node
            and engine.rules_out(knowledge.nodes[node].needs)
        ):
            continue
        drive = knowledge.drive(node) if node else None
        if (
            knowledge.tests[test].by_vacuum
            and drive
            and "vacuum" not in str(getattr(engine, drive.by) or "vacuum")
        ):
            continue
        steps.append((test, node))
    return steps


@dataclass(frozen=True)
class Bench:
    """`template`: its page. `drawings`: the templates that a written value draws anew. `keeps`: what its
    address carries, and the form field that brings it along. `query`: what the link to one of its tests says
    beside the page. `sections`: whether each test on it is a form of its own. `by_node`: how its address
    names the part that is tested."""

    template: str
    shows: Shows
    drawings: tuple[str, ...]
    keeps: tuple[tuple[str, str], ...] = ()
    query: Callable[[str, str], str] = lambda test, point: ""
    sections: bool = False
    by_node: str = ""

    def asked(self, form: Form) -> Form:
        """What a form on this bench brings along for showing it again."""
        return Form({name: [self._kept(form, field)] for name, field in self.keeps})

    def _kept(self, form: Form, field: str) -> str:
        """What a form says of the bench it stands on: a cell says it apart from its place and conditions."""
        apart = f"{ON_BENCH}{field}"
        return form.raw(apart if apart in form.values else field)

    def carried(self, form: Form) -> str:
        """The same as part of an address."""
        given = {name: self._kept(form, field) for name, field in self.keeps}
        return f"?{urlencode(given)}" if given else ""

    def view(self, record: JobRecord, workshop: Workshop, asked: Form) -> dict[str, Any]:
        """What its template prints; `carried`: the hidden fields that every cell sends along."""
        shown = self.shows(record, workshop, asked)
        carried = {field: shown[name] for name, field in self.keeps}
        return {
            **shown,
            "drawings": self.drawings,
            "carried": carried,
            "comes_and_goes": comes_and_goes(record.job, workshop.knowledge, record.assessed.now),
            "present_said": "",
        }
