"""What hangs on what in a vacuum circuit, and what is joined wrongly."""

import unittest

from frosty_piston.core.circuit import Circuit, Hose, Part, PartKind, outward, volume_ml

KINDS = {
    "pump": PartKind("Pump", outward=("out",), gives=True),
    "tee": PartKind("Tee", either=("a", "b", "c")),
    "valve": PartKind("One-way valve", toward=("pump",), outward=("far",), one_way=True),
    "solenoid": PartKind("Solenoid", toward=("supply",), outward=("output",), vents=("vent",)),
    "can": PartKind("Actuator", toward=("in",), volume_ml=50),
}


def circuit(parts, *hoses):
    named = tuple(Part(p.partition(":")[0], p.partition(":")[2], p.partition(":")[0]) for p in parts)
    return Circuit(
        named,
        tuple(Hose(str(n), tuple(a.split(".")), tuple(b.split("."))) for n, (a, b) in enumerate(hoses, 1)),
    )


def wrong(parts, *hoses):
    return [(w.what, w.ids) for w in outward(circuit(parts, *hoses), KINDS).wrong]


PARTS = ("p:pump", "t:tee", "v:valve", "s:solenoid", "a:can", "b:can")
RIGHT = (("p.out", "t.a"), ("t.b", "v.pump"), ("v.far", "s.supply"), ("s.output", "a.in"), ("b.in", "t.c"))


class Outwards(unittest.TestCase):
    def test_the_order_is_from_the_pump_outward_whichever_way_hoses_were_written(self):
        found = outward(circuit(PARTS, *RIGHT), KINDS)
        self.assertEqual(found.wrong, ())
        self.assertEqual(
            [(r.hose.id, r.near, r.far, r.hangs_on) for r in found.runs],
            [
                ("1", ("p", "out"), ("t", "a"), -1),
                ("2", ("t", "b"), ("v", "pump"), 0),
                ("5", ("t", "c"), ("b", "in"), 0),
                ("3", ("v", "far"), ("s", "supply"), 1),
                ("4", ("s", "output"), ("a", "in"), 3),
            ],
        )
        self.assertEqual(found.reached, set("ptvsab"))

    def test_what_is_joined_wrongly(self):
        for hoses, says in (
            ((("p.out", "v.far"), ("v.pump", "a.in")), [("backwards", ("v", "1"))]),
            ((("p.out", "s.output"), ("s.supply", "a.in")), [("swapped", ("s", "1"))]),
            ((("p.out", "s.supply"), ("s.vent", "a.in")), [("vent", ("s", "2"))]),
            ((("p.out", "a.in"), ("p.out", "b.in")), [("twice", ("p", "1", "2"))]),
            ((("p.out", "a.out"),), [("port", ("a", "1"))]),
            ((("v.far", "s.output"),), [("outlets", ("v", "s", "1"))]),
            ((("t.a", "t.b"), ("p.out", "a.in")), [("loop", ("t",))]),
            ((("t.a", "t.a"),), [("twice", ("t", "1", "1")), ("itself", ("t", "1"))]),
        ):
            with self.subTest(hoses):
                found = wrong(PARTS, *hoses)
                for one in says:
                    self.assertIn(one, found)

    def test_without_a_source(self):
        self.assertEqual(wrong(("p:pump", "a:can")), [("no_source", ("a",))])
        self.assertEqual(wrong(("a:can", "s:solenoid"), ("s.output", "a.in"))[-1][0], "no_source")
        loop = wrong(("t:tee", "u:tee"), ("t.a", "u.a"), ("t.b", "u.b"))
        self.assertEqual([w for w, _ in loop], ["loop"])
        self.assertEqual(set(loop[0][1]), {"t", "u"})

    def test_a_ring_that_the_pump_feeds_is_no_fault(self):
        ring = (("p.out", "t.a"), ("t.b", "u.a"), ("t.c", "u.b"), ("u.c", "a.in"))
        found = outward(circuit(("p:pump", "t:tee", "u:tee", "a:can"), *ring), KINDS)
        self.assertEqual(found.wrong, ())
        self.assertEqual(len(found.runs), 4)

    def test_volumes(self):
        found = circuit(PARTS, *RIGHT)
        self.assertAlmostEqual(volume_ml(found.parts, found.hoses, KINDS), 100 + 5 * 4.811, delta=0.01)


if __name__ == "__main__":
    unittest.main()
