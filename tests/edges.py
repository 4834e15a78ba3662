"""Rows of edges: just inside, at and just outside a limit, with the class each must come to."""

from dataclasses import replace

from frosty_piston.core.limits import Limit


def exact(limits, **figures):
    """The limits with some figures that a computer holds exactly, so that `at` means at."""
    return replace(
        limits, **{name: Limit(value, getattr(limits, name).unit) for name, value in figures.items()}
    )


class Edges:
    """Mixed into a test case: holds a judge to its rows."""

    def held(self, judge, rows):
        for *given, wanted in rows:
            with self.subTest(given=given):
                judged = judge(*given)
                said = getattr(judged, "cls", judged)
                self.assertEqual(said, wanted, getattr(judged, "because", ""))
