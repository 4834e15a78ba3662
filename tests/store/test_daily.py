"""The daily copies: made once a day, kept by the rule, shown with their age."""

import shutil
import stat
import unittest
from datetime import date, timedelta
from pathlib import Path
from unittest import mock

from frosty_piston.core.errors import CannotStart
from frosty_piston.store import daily
from frosty_piston.store.backup import check
from frosty_piston.store.daily import copied_daily, copies, kept_days, make_copy
from tests.cases import symptom
from tests.store import test_workshop

DAY = date(2026, 3, 20)


class Daily(test_workshop.WithWorkshop):
    def setUp(self):
        super().setUp()
        self.add(symptom("no_start"))
        self.here = Path(self.folder.name)

    def test_one_a_day_whole_and_for_nobody_else_to_read(self):
        self.assertEqual([make_copy(self.here, DAY), make_copy(self.here, DAY)], [True, False])
        (copy,) = copies(self.here)
        self.assertEqual((copy.day, check(copy.path).faults), (DAY, []))
        self.assertEqual(stat.S_IMODE(copy.path.stat().st_mode), 0o600)
        self.assertEqual(stat.S_IMODE(copy.path.parent.stat().st_mode), 0o700)

    def test_the_rule(self):
        for first, days in ((DAY, 1), (DAY, 7), (DAY, 30), (DAY, 900)):
            there = [first + timedelta(days=n) for n in range(days)]
            keep = kept_days(there)
            self.assertLessEqual(set(there[-7:]), keep)
            weeks = {d.isocalendar()[:2] for d in there[-28:]}
            self.assertGreaterEqual(len({d.isocalendar()[:2] for d in keep}), min(4, len(weeks)))
            self.assertGreaterEqual(len({(d.year, d.month) for d in keep}), min(12, days // 31))
            self.assertLessEqual(len(keep), 7 + 4 + 12)

    def test_day_after_day_old_ones_go_and_none_that_was_kept_is_missed(self):
        make_copy(self.here, DAY)
        first = shutil.copy(copies(self.here)[0].path, self.here / "first")
        with mock.patch.object(daily, "back_up") as back_up:
            back_up.side_effect = lambda folder, target: (shutil.copy(first, target), mock.Mock(faults=[]))[1]
            for n in range(1, 400):
                make_copy(self.here, DAY + timedelta(days=n))
        days = [c.day for c in copies(self.here)]
        self.assertEqual(days, sorted(days, reverse=True))
        self.assertTrue(12 <= len(days) <= 23, days)
        self.assertGreater((days[0] - days[-1]).days, 300)

    def test_while_it_serves_the_copy_of_today_is_made(self):
        with copied_daily(self.here):
            pass
        self.assertEqual([c.day for c in copies(self.here)], [date.today()])

    def test_a_copy_that_cannot_be_made_is_one_sentence_in_the_log_and_stops_nobody(self):
        (self.here / "backups").write_text("in the way")
        with self.assertRaisesRegex(CannotStart, "could not be written"):
            make_copy(self.here, DAY)
        with self.assertLogs("frosty_piston.store", "ERROR"), copied_daily(self.here):
            pass
        self.assertEqual(copies(self.here), [])


if __name__ == "__main__":
    unittest.main()
