"""Every test is judged by the judge of its table, once, and what has no judge by what its outcomes mean."""

import unittest
from unittest import mock

from frosty_piston.core import glow
from frosty_piston.core.air import AirLimits
from frosty_piston.core.limits import CARD, GENERAL
from frosty_piston.job.assessment import Assessed, job_of
from frosty_piston.job.judging import JUDGES
from frosty_piston.job.judging.verdicts import Verdicts
from frosty_piston.job.tape.jobfile import check
from frosty_piston.knowledge import load_knowledge
from tests.cases import NORRA, entry, job_file, outcome, plugs, reading

K = load_knowledge()


def job(*entries, **card):
    return job_of(check(job_file(*entries, engine={**NORRA, **card}), K))


class Judged(unittest.TestCase):
    def test_figures_that_nothing_can_be_worked_out_from_are_implausible_and_the_rest_is_judged(self):
        broken = mock.Mock(side_effect=ZeroDivisionError)
        tape = job(reading("crank_speed", 210, "rpm"), *plugs([1.0, 1.1, 1.0, 1.0]))
        with mock.patch.dict(JUDGES, {"crank_speed": broken}):
            verdicts = {v.test: v.judgement for v in Verdicts(tape, K, tape.live).all()}
        self.assertEqual(verdicts["crank_speed"].verdict, "implausible")
        self.assertIn("Nothing can be worked out", verdicts["crank_speed"].because)
        self.assertNotEqual(verdicts["glow_resistance"].verdict, "implausible")

    def test_a_set_is_judged_once_whoever_asks_for_it(self):
        all_of_glow = [
            *plugs([1.0, 1.1, "OL", 1.0]),
            entry("outcome", test="glow_lamp_test", where={"point": "plug", "cylinder": 1}, outcome="lit"),
            reading("glow_current", 30.0, "A", point="total"),
            entry("outcome", test="glow_bench_heat", where={"cylinder": 3}, outcome="cold"),
            reading("glow_relay", 12.4, "V", point="battery"),
        ]
        tape = job(*all_of_glow)
        with mock.patch.object(glow, "judge_set", wraps=glow.judge_set) as judge_set:
            Verdicts(tape, K, tape.live).of("glow_resistance")
            once = judge_set.call_count
            verdicts = Assessed(tape, K).now
        self.assertEqual(judge_set.call_count, 2 * once)
        self.assertGreater(len({v.test for v in verdicts}), 4)

    def test_every_judge_judges_a_test_that_there_is(self):
        self.assertLessEqual(set(JUDGES), set(K.tests))

    def test_a_test_without_a_judge_says_what_its_outcome_means(self):
        plain = next(t for t, s in K.tests.items() if t not in JUDGES and "failed" in s.outcomes.values())
        bad = next(o for o, v in K.tests[plain].outcomes.items() if v == "failed")
        (verdict,) = Verdicts(*_parts(job(outcome(plain, bad)))).of(plain)
        self.assertEqual((verdict.judgement.verdict, verdict.judgement.cls), ("failed", bad))

    def test_a_reason_speaks_in_the_unit_that_was_typed(self):
        leaks = reading("injector_insulation", 203, "kohm", cylinder=2)
        (verdict,) = Verdicts(*_parts(job(leaks))).of("injector_insulation")
        self.assertIn("203 kΩ to the body; over 1\u00a0000 kΩ is wanted", verdict.judgement.because)

    def test_a_limit_of_nought_on_the_card_is_a_limit(self):
        readings = Verdicts(*_parts(job(limits={"egr_closed_percent": 0.0}))).readings
        own = readings.limits(AirLimits).egr_closed_percent
        self.assertEqual((own, own.source), (0.0, CARD))
        general = Verdicts(*_parts(job())).readings.limits(AirLimits).egr_closed_percent
        self.assertEqual((general, general.source), (K.general("egr_closed_percent"), GENERAL))

    def test_the_card_judges_and_the_judgement_says_so(self):
        told = entry("reading", test="egr_position", value=4, unit="percent", where={"point": "engine_off"})
        for own, verdict, source in ((None, "sound", GENERAL), (3.0, "marginal", CARD)):
            limits = {} if own is None else {"egr_closed_percent": own}
            (judged,) = Verdicts(*_parts(job(told, limits=limits))).of("egr_position")
            self.assertEqual(judged.judgement.verdict, verdict)
            self.assertIn(source, judged.judgement.because)


def _parts(of):
    return of, K, of.live
