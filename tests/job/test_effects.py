"""What a fault brings about is explained by it, and is no second fault."""

import unittest

from frosty_piston.job.assessment import Assessed, job_of
from frosty_piston.job.tape.jobfile import check
from frosty_piston.knowledge import load_knowledge
from tests.cases import SKARN, job_file, reading, relay_read, scan, symptom

K = load_knowledge()
FOUR = {**SKARN, "cylinders": 4}
NEVER_ORDERED = relay_read(battery=12.5, feed=12.4, supply=12.3, command=12.3, output=0.0)
SENSOR_HOT = [
    reading("cold_soak_temps", celsius, "degC", channel=channel)
    for channel, celsius in (("coolant", 85), ("intake", -5), ("ambient", -5), ("fuel", -4))
]


def odds(*entries):
    file = job_file(symptom("no_start_cold"), scan(), *entries, engine=FOUR)
    return {x.fault: x.probability for x in Assessed(job_of(check(file, K)), K).suspicion.suspects}


class Effects(unittest.TestCase):
    def test_a_sensor_that_reads_hot_cancels_the_order_by_itself(self):
        alone, with_cause = odds(*NEVER_ORDERED), odds(*NEVER_ORDERED, *SENSOR_HOT)
        self.assertGreater(alone["glow_control_missing"], 0.7)
        self.assertGreater(with_cause["coolant_sensor_wrong"], 0.9)
        self.assertLess(with_cause["glow_control_missing"], 0.1)

    def test_the_cause_alone_brings_no_second_fault(self):
        self.assertLess(odds(*SENSOR_HOT)["glow_control_missing"], 2 * odds()["glow_control_missing"])


if __name__ == "__main__":
    unittest.main()
