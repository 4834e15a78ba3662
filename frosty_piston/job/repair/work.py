"""The work that was picked: each repair with its plan, the cylinders it is about, and whether it is done."""

from frosty_piston.job.assessment import Assessed
from frosty_piston.knowledge.repairs import Option

from .basket import basket
from .decide import cylinders_of
from .fit import ToDo, done_since, plan_state


def plan_of(option: Option) -> str:
    """The work plan that carries an option out."""
    return option.shape.plan or option.repair


def to_do(assessed: Assessed) -> tuple[ToDo, ...]:
    """What was picked, repair by repair, in the order in which it was picked."""
    job = assessed.job
    knowledge = assessed.knowledge
    work = []
    now = basket(job)
    for picked in now.picked if now else ():
        option = knowledge.options.get(picked.option)
        if option is None:
            continue
        cylinders = cylinders_of(assessed, option)
        plan = plan_state(job, knowledge, plan_of(option), cylinders, option.shape.act)
        work.append(
            ToDo(
                option.id,
                option.repair,
                option.shape.act,
                cylinders=cylinders,
                plan=plan,
                entry=done_since(job, option.repair, picked.since),
                temporary=option.shape.temporary,
                title=option.title,
            )
        )
    return tuple(work)


def all_done(assessed: Assessed) -> bool:
    """Whether everything that was picked is done; when nothing was picked, whether anything was repaired
    since the last failed proof."""
    work = to_do(assessed)
    return all(w.entry for w in work) if work else assessed.job.fitted
