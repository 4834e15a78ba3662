"""Whatever is found wrong never clears what the test reached, and whatever is found sound never condemns it:
any test, outcome, engine card and complaint, drawn from a seed that is printed."""

import os
import random
import sys
import unittest

import numpy as np

from frosty_piston.core.errors import BadInput
from frosty_piston.core.suspects.space import UNLISTED
from frosty_piston.job.assessment import Assessed, job_of
from frosty_piston.job.tape.jobfile import check
from frosty_piston.knowledge import load_knowledge
from frosty_piston.rig.demo import world
from tests.cases import entry, job_file, scan, symptom

K = load_knowledge()
SEED = int(os.environ.get("PISTON_SEED") or random.SystemRandom().randrange(2**31))
DRAWN = 20_000 if os.environ.get("PISTON_LONG") else 500
LEAST = 0.01
COMPLAINTS = (
    *(("no_start_cold",), ("hard_start_cold",), ("hard_start_cold", "P0380"), ("slow_crank",), ("stall",)),
    *(("limp_mode", "P0299"), ("limp_mode", "P2263"), ("low_power",), ("low_power", "P0299")),
    *(("black_smoke", "P0404"), ("engine_lamp", "P0401"), ("engine_lamp", "P0102"), ("rough_idle_cold",)),
    *(("regen_frequent", "P2463"), ("restart_countdown", "P207F"), ("emissions_message", "P2200")),
    *(("misfire_hot", "P0203"), ("white_smoke_start",), ("slow_stop",), ("wont_stop",)),
)
# The only tests that may go the other way, each with its reason.
OTHER_WAY = {
    "code_return": "a code that stays away was left by a tool, one that is back first was not",
}


def assessed(entries, card):
    return Assessed(job_of(check(job_file(*entries, engine=card), K)), K)


def chance_of_any(job, faults):
    """The chance that at least one of some faults is there."""
    space, sets = job.suspicion.space, job.suspicion.weighed.sets
    among = np.zeros(len(space.faults) + 2, bool)
    among[[space.place[f] for f in faults if f in space.place]] = True
    return float(sets[among[space.held].any(axis=1)].sum())


def drawn_test(rng):
    """A test with a place and an outcome or a figure of it; None where it takes neither."""
    test = rng.choice(sorted(K.findings))
    shape, findings = K.tests[test], K.findings[test]
    where = {}
    for name, choices in (
        ("point", shape.points),
        ("node", [n for f in findings for n in f.shape.nodes] if "node" in shape.where else []),
        ("cylinder", [1, 2, 3] if "cylinder" in shape.where else []),
        ("channel", [c for f in findings for c in f.shape.channels]),
    ):
        if choices:
            where[name] = rng.choice(choices)
    if shape.outcomes and (not shape.units or rng.random() < 0.5):
        return entry("outcome", test=test, where=where, outcome=rng.choice(sorted(shape.outcomes)))
    if not shape.units or not shape.range:
        return None
    low, high = shape.range
    value = round(low + (high - low) * rng.choice((0.02, 0.1, 0.3, 0.5, 0.9)), 2)
    return entry("reading", test=test, where=where, value=value, unit=shape.units[0])


def fits(made, engine):
    """Whether the card has what the test is made on."""
    node = K.nodes.get(made["data"]["where"].get("node", ""))
    return not engine.rules_out(K.tests[made["data"]["test"]].needs) and not (
        node and engine.rules_out(node.needs)
    )


class Direction(unittest.TestCase):
    def test_wrong_never_clears_and_sound_never_condemns_what_a_test_reached(self):
        print(f"direction: {DRAWN} drawn of seed {SEED}", file=sys.stderr)
        rng = random.Random(SEED)
        against, told, drawn = [], 0, 0
        while drawn < DRAWN:
            made, card, complaint = drawn_test(rng), rng.choice(world.CARDS), rng.choice(COMPLAINTS)
            if made is None:
                continue
            known = [symptom(complaint[0]), *[entry("code", code=c) for c in complaint[1:]], scan()]
            try:
                before, after = (assessed(entries, card) for entries in (known, [*known, made]))
            except BadInput:
                continue
            if not fits(made, before.job.engine):
                continue
            drawn += 1
            last = f"e{len(known) + 1}"
            reached = {
                f
                for e in after.suspicion.evidence
                if e.finding and last in e.entries
                for f in e.finding.shows
            }
            verdicts = [v.judgement.verdict for v in after.now if last in v.entries]
            if not reached or not verdicts or made["data"]["test"] in OTHER_WAY:
                continue
            told += 1
            # what nothing on this card brings speaks for something that is on no list
            reached |= {UNLISTED} if verdicts[-1] == "failed" else set()
            moved = chance_of_any(after, reached) - chance_of_any(before, reached)
            if verdicts[-1] == "failed" and moved < -LEAST or verdicts[-1] == "sound" and moved > LEAST:
                against.append((card["name"], complaint, made["data"], verdicts[-1], round(moved, 3)))
        self.assertGreater(told, DRAWN / 3)
        self.assertEqual(against, [])


if __name__ == "__main__":
    unittest.main()
