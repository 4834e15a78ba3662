"""Somebody who trains, for the demo: goes by the proposals, more or less sure than the odds, now and then
with a part bought too early."""

from frosty_piston.core.errors import BadInput
from frosty_piston.knowledge import Knowledge
from frosty_piston.rig.technician import proposed, thought

from .exercise import DRIVE_TICKS, SURE, Act, Bay, Spec, begin, cautions_of, do
from .looking_back import close_up, make_test, named_test, tape_of

MOST_TESTS = 8
SURE_LOW, SURE_HIGH = SURE


def _say(bay: Bay, bold: float) -> None:
    needed = thought(bay.vehicle, tape_of(bay), bay.knowledge).suspicion.repairs_needed
    repair, odds = next(iter(needed.items()), ("", 0.5))
    sure = round(100 * min(0.99, odds * bold))
    do(bay, {"act": "sure", "repair": repair, "sure": str(min(SURE_HIGH, max(SURE_LOW, sure)))})


def _fit(bay: Bay, repair: str, sure: int) -> None:
    knowledge = bay.knowledge
    wrong = set(bay.vehicle.faults)
    lasting = [o for o in knowledge.repairs[repair].options.values() if not o.shape.temporary]
    option = max(lasting, key=lambda o: len(wrong & set(o.cures)))
    shape = knowledge.repairs[repair].shape
    part = shape.part_minutes * option.shape.parts / 60 * bay.rate
    do(
        bay,
        {
            "act": "fit",
            "option": option.id,
            "repair": repair,
            "sure": str(sure),
            "parts": round(part),
            "minutes": round(shape.minutes * option.shape.minutes, 1),
            "cylinders": list(range(1, bay.vehicle.condition.cylinders + 1)) if option.shape.pieces else [],
            "ticks": cautions_of(knowledge, repair, option.shape.act),
        },
    )


def _drive(bay: Bay) -> None:
    close_up(bay)
    do(bay, {"act": "drive", "ticks": list(DRIVE_TICKS)})


def trained(spec: Spec, knowledge: Knowledge, rate: int, bold: float = 1.0, too_early: str = "") -> list[Act]:
    """The acts of an exercise from beginning to end. `bold`: how much surer than the odds somebody says to
    be; `too_early`: a repair that is bought before anything was measured."""
    bay = begin(spec, knowledge, rate)
    bay.by_hand = True
    do(bay, {"act": "scan"})
    _say(bay, bold)
    if too_early:
        _fit(bay, too_early, 85)
        _drive(bay)
    for _ in range(MOST_TESTS):
        step = proposed(thought(bay.vehicle, tape_of(bay), knowledge))
        one = named_test(bay, *step) if step else None
        if one is None:
            break
        try:
            make_test(bay, one)
        except BadInput:
            break
        if bay.asks:
            _say(bay, bold)
    for repair in dict.fromkeys(knowledge.repair_of[f] for f in bay.vehicle.faults):
        _fit(bay, repair, 90)
    _drive(bay)
    do(bay, {"act": "done", "sure": "80"})
    return bay.acts
