"""The order of reset plans at every door: a step is done after those it comes after, or not at all."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from frosty_piston.core.words import inside, listed
from frosty_piston.job.entries import Entry, EntryData, ResetStep
from frosty_piston.job.entries.kind import Wrong
from frosty_piston.job.tape.fold import Job
from frosty_piston.knowledge.reset_shapes import ResetPlanShape

BEHIND = ("done", "skipped")


def in_wrong_order(names: list[str]) -> str:
    """Why a step is not done yet: the steps before it, by what they do."""
    quoted = listed([f"“{inside(name)}”" for name in names])
    return f"comes after {quoted}: in the wrong order the codes stay"


@dataclass
class ResetOrder:
    """The plans as they stand for an engine, and which of their steps are behind since the last repair."""

    plans: Mapping[str, ResetPlanShape]
    behind: set[tuple[str, str]] = field(default_factory=set)

    @classmethod
    def of(cls, job: Job, plans: Mapping[str, ResetPlanShape]) -> "ResetOrder":
        order = cls(plans)
        since = job.position[job.repairs[-1].id] if job.repairs else -1
        for x in job.of(ResetStep):
            if job.position[x.id] > since:
                order.after(x)
        return order

    def after(self, entry: Entry) -> None:
        """Take in an entry."""
        data = entry.data
        if isinstance(data, ResetStep):
            if data.result in BEHIND:
                self.behind.add((data.plan, data.step))
            else:
                self.behind.discard((data.plan, data.step))

    def wrong(self, data: EntryData) -> list[Wrong]:
        """What a step that is said to be done still comes after."""
        if not isinstance(data, ResetStep) or data.result != "done" or data.plan not in self.plans:
            return []
        plan = self.plans[data.plan]
        step = plan.step(data.step)
        before = [
            s.does for s in plan.steps if step and s.id in step.after and (data.plan, s.id) not in self.behind
        ]
        return [("step", in_wrong_order(before))] if before else []
