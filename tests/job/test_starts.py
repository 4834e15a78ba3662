"""What an engine did in the cold, read off its tape."""

import unittest

from frosty_piston.job.assessment import Assessed, job_of
from frosty_piston.job.judging.starts import plug_shares, starts_of
from frosty_piston.job.tape.jobfile import check
from frosty_piston.knowledge import load_knowledge
from tests.cases import entry, job_file, meter, plugs, symptom

K = load_knowledge()


def starts(*entries):
    assessed = Assessed(job_of(check(job_file(*entries), K)), K)
    order = [x.id for x in assessed.job.tape]
    before, after = (plug_shares(v, order) for v in (assessed.diagnosis, assessed.after))
    found = starts_of(assessed.job, before, after)
    return [(s.ambient_c, s.result, [h > 0.5 for h in s.plug_heat]) for s in found]


def ambient(celsius):
    return entry("condition", name="ambient", value=celsius, unit="degC")


DEAD = [meter(), *plugs(["OL", 1.0, 1.0, 1.0])]


class Starts(unittest.TestCase):
    def test_the_complaint_says_how_it_went_with_the_plugs_as_they_were(self):
        for said, result in (
            ("no_start", "would_not"),
            ("no_start_cold", "would_not"),
            ("hard_start_cold", "coughed"),
            ("rough_idle_cold", "started"),
            ("white_smoke_start", "started"),
        ):
            self.assertEqual(
                starts(symptom(said), ambient(-5), *DEAD), [(-5.0, result, [False, True, True, True])], said
            )
        worst = starts(symptom("rough_idle_cold"), symptom("no_start_cold"), ambient(-5), *DEAD)
        self.assertEqual(worst[0][1], "would_not")

    def test_what_cannot_be_laid_to_heat_says_nothing(self):
        for entries in (
            [symptom("no_start_cold"), *DEAD],
            [symptom("no_start_cold"), ambient(-5)],
            [symptom("black_smoke"), ambient(-5), *DEAD],
            [symptom("no_start_cold", present=False), ambient(-5), *DEAD],
        ):
            self.assertEqual(starts(*entries), [])

    def test_the_proof_of_a_cold_start_counts_with_the_plugs_as_they_are(self):
        proof = [
            entry("action", action="replaced", what="plug 1", repair="glow_plugs", cylinders=[1]),
            ambient(-9),
            entry("proof_step", repair="glow_plugs", step="cold_start", result="pass"),
        ]
        seen = starts(symptom("no_start_cold"), ambient(-5), *DEAD, *proof)
        self.assertEqual(
            seen, [(-5.0, "would_not", [False, True, True, True]), (-9.0, "started", [True] * 4)]
        )


if __name__ == "__main__":
    unittest.main()
