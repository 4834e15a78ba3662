"""Fills an empty workshop with the demo world."""

from frosty_piston.job import jobfile
from frosty_piston.job.own import OwnCode
from frosty_piston.rig.world import CARDS, OWN_CODE, PATTERN, PEOPLE, VEHICLES, demo_jobs
from frosty_piston.store.workshop import Workshop, now


def fill_demo(workshop: Workshop) -> None:
    """Put cards, vehicles, people and jobs in place, once."""
    if workshop.setting("demo"):
        return
    cards = {card["name"]: workshop.save_card(card) for card in CARDS}
    for data, card in VEHICLES:
        workshop.save_vehicle(data, cards[card])
    for name in PEOPLE:
        workshop.add_person(name)
    workshop.save_setting("prices", {"rate": 95_000, "tax_percent": 25.0, "currency": "kr"})
    workshop.shelf.add_pattern(**PATTERN)
    workshop.shelf.save_code(OwnCode(**OWN_CODE))
    for job in demo_jobs(now()):
        workshop.add_file(jobfile.check(job, workshop.knowledge))
    workshop.save_setting("demo", {"made": True})
