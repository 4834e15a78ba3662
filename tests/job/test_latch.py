"""What runs on after the cause was mended: a latch that waits for its reset."""

import unittest

from frosty_piston.job.assessment import Assessed, job_of
from frosty_piston.job.tape.jobfile import check
from frosty_piston.knowledge import load_knowledge
from tests.cases import MODERN, code, entry, job_file, outcome, scan, symptom

K = load_knowledge()
SCR = {**MODERN, "scr": True}
CRYSTALS = [
    symptom("restart_countdown"),
    entry("condition", name="countdown_km", value=400, unit="km", at_zero="no_restart"),
    code("P20EE"),
    code("P2BAD"),
    scan(),
    outcome("def_injector_look", "blocked"),
]
CLEANED = [
    entry("action", action="cleaned", what="DEF injector", repair="def_injector"),
    entry("code_clear", module="all"),
]
RESET = [entry("reset_step", plan="start_inhibit", step="countdown", result="done")]


def odds(*entries):
    file = job_file(*CRYSTALS, *CLEANED, *entries, engine=SCR)
    return {x.fault: x.probability for x in Assessed(job_of(check(file, K)), K).suspicion.suspects}


class Latch(unittest.TestCase):
    def test_its_code_alone_is_the_latch_and_says_nothing_against_the_work(self):
        before, after = odds(), odds(code("P2BAD"), scan())
        self.assertGreater(after["countdown_latched"], 0.5)
        self.assertLess(after["def_injector_crystals"], before["def_injector_crystals"] + 0.02)

    def test_beside_the_code_of_its_cause_the_cause_is_back(self):
        after = odds(code("P20EE"), code("P2BAD"), scan())
        self.assertGreater(after["def_injector_crystals"], odds()["def_injector_crystals"] * 1.5)
        self.assertLess(after["countdown_latched"], 0.2)

    def test_once_it_was_reset_its_code_is_over(self):
        before, after = odds(*RESET), odds(code("P2BAD"), *RESET, scan())
        for fault in ("countdown_latched", "def_injector_crystals"):
            self.assertAlmostEqual(after[fault], before[fault], delta=0.02)


if __name__ == "__main__":
    unittest.main()
