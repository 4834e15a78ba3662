"""The day plan in the pages: pins, overruns, who is there, the calendar, a restart."""

import json
import re
import unittest
from datetime import timedelta
from pathlib import Path
from unittest.mock import patch

from icalendar import Calendar

from frosty_piston.job.day.setup import Hours
from frosty_piston.store.database import open_database
from frosty_piston.store.timestamps import now
from frosty_piston.store.workshop import Workshop
from tests.cases import entry, job_file, symptom
from tests.job.test_next_step import DONE, PICKED, SURE, YES
from tests.web.test_api import WithClient

ALWAYS = Hours(since="00:00", until="23:59", breaks=(), days=(0, 1, 2, 3, 4, 5, 6))


class WithDay(WithClient):
    """Two jobs and one person who is always there; the clock can be put forward."""

    def setUp(self):
        super().setUp()
        self.ahead = timedelta()
        noon = now().astimezone().replace(hour=9, minute=0, second=0, microsecond=0)
        for place in ("store.day", "web.workshop.day"):
            moved = patch(f"frosty_piston.{place}.now", side_effect=lambda: noon + self.ahead)
            moved.start()
            self.addCleanup(moved.stop)
        patient = patch("frosty_piston.store.day.MOMENT_S", 60.0)
        patient.start()
        self.addCleanup(patient.stop)
        self.workshop.settings.add_person("Ylva")
        setup = self.workshop.day.setup
        self.workshop.day.keep_setup(setup.model_copy(update={"hours": {"Ylva": ALWAYS}}))
        for job_id, entries in (
            ("plugs", [*SURE, PICKED, YES]),
            ("weak", [symptom("no_start"), entry("code_scan")]),
        ):
            self.workshop.tapes.import_file(json.dumps(job_file(*entries, job_id=job_id)).encode())

    def laid(self):
        return self.workshop.day.look()

    def do(self, name, **data):
        return self.client.post(f"/day/do/{name}", data=data)

    def head(self, job):
        laid = self.laid()
        return laid.head(job), laid.plan.of[laid.head(job)]


class Board(WithDay):
    def test_a_day_without_a_solver_says_so(self):
        with patch("frosty_piston.job.day.solver._cp", return_value=None):
            page = self.client.get("/day").text
        self.assertIn("since no solver is installed here", page)

    def test_the_plan_is_kept_until_something_changes(self):
        first = self.laid()
        self.ahead += timedelta(minutes=1)
        self.assertIs(self.laid(), first)
        self.workshop.tapes.write("weak", [{"id": "n", **entry("note", text="x")}], None)
        self.assertIsNot(self.laid(), first)

    def test_what_runs_over_is_given_more_and_the_rest_moves(self):
        first = self.laid()
        begun = next(p for p in first.plan.placed if p.person and p.start <= 0)
        others = {p.piece: first.moment(p.start) for p in first.plan.placed if p.start >= begun.end}
        self.ahead += timedelta(minutes=begun.end + 20)
        later = self.laid()
        self.assertIn(begun.piece, later.over)
        again = later.plan.of[begun.piece]
        self.assertEqual((again.person, again.start), ("Ylva", -(begun.end + 20)))
        self.assertGreaterEqual(again.end, 5)
        moved = [
            p for p, at in others.items() if p in later.plan.of and later.moment(later.plan.of[p].start) > at
        ]
        self.assertTrue(moved)
        self.assertIn("runs over", self.client.get("/day/strip").text)

    def test_what_began_is_known_after_a_restart(self):
        first = self.laid()
        begun = next(iter(first.begun))
        other = Workshop(open_database(Path(self.workshop.folder)))
        self.addCleanup(other.close)
        other.day.search_s, other.day.rest_s = 0.1, 0.0
        self.ahead += timedelta(minutes=2)
        self.assertEqual(other.day.look().plan.of[begun].start, -2)

    def test_it_was_not_begun(self):
        begun = next(iter(self.laid().begun))
        self.ahead += timedelta(minutes=3)
        self.do("not_begun", piece=begun)
        self.assertGreaterEqual(self.laid().plan.of[begun].start, 0)

    def test_a_pin_holds_and_comes_out(self):
        piece, _ = self.head("weak")
        later = (self.laid().at + timedelta(hours=3)).astimezone()
        self.assertEqual(self.do("pin", piece=piece, at=f"{later:%Y-%m-%dT%H:%M}").status_code, 303)
        laid = self.laid()
        self.assertGreaterEqual(laid.plan.of[piece].start, 180)
        self.assertIn("pinned", self.client.get("/day").text)
        self.do("unpin", piece=piece)
        self.assertLess(self.laid().plan.of[piece].start, 180)

    def test_who_wrote_last_on_a_job_has_it_in_hand(self):
        self.workshop.settings.add_person("Odd")
        setup = self.workshop.day.setup
        self.workshop.day.keep_setup(setup.model_copy(update={"hours": {"Ylva": ALWAYS, "Odd": ALWAYS}}))
        written = {"id": "n", "at": self.laid().at.isoformat(), **entry("note", text="x")}
        for name in ("Odd", "Ylva"):
            self.workshop.tapes.write("weak", [{**written, "id": f"n{name}"}], name)
            self.assertEqual(self.head("weak")[1].person, name)

    def test_jobs_go_off_the_day_and_back(self):
        self.do("put", job="weak", on="no")
        self.assertEqual([w.id for w in self.laid().day.works], ["plugs"])
        self.assertIn("1 open job is not on the day", self.client.get("/day").text)
        self.do("put", job="weak", on="yes")
        self.assertEqual(len(self.laid().day.works), 2)

    def test_where_a_vehicle_stands_it_is_worked_on(self):
        self.do("stands", job="plugs", bay="Floor")
        self.assertEqual(self.head("plugs")[1].bay, "Floor")
        self.do("stands", job="weak", bay="Floor")
        self.assertEqual(self.laid().stands, {"weak": "Floor"})

    def test_what_cannot_be_is_said_where_it_was_typed(self):
        piece, _ = self.head("weak")
        for name, data, status, says in (
            ("pin", {"piece": piece}, 422, "say who does it"),
            ("pin", {"piece": piece, "person": "Nobody"}, 422, "choose one of: Ylva"),
            ("pin", {"piece": piece, "at": "soon"}, 422, "is no date and time"),
            ("pin", {"piece": "gone", "person": "Ylva"}, 409, "not on the plan any more"),
            ("stands", {"job": "weak", "bay": "Moon"}, 422, "choose one of"),
            ("put", {"job": "weak", "on": "?"}, 422, "choose one of"),
            ("put", {"job": "none", "on": "no"}, 404, ""),
            ("dance", {}, 404, "There is no such form"),
        ):
            with self.subTest(name=name, data=data):
                answer = self.do(name, **data)
                self.assertEqual(answer.status_code, status)
                self.assertIn(says, answer.text)

    def test_a_job_that_is_done_leaves_the_plan(self):
        self.workshop.tapes.write(
            "plugs", [{"id": "d", **DONE}, {"id": "h", **entry("handover", to="Owner")}], None
        )
        self.assertEqual([w.id for w in self.laid().day.works], ["weak"])


class Pages(WithDay):
    def test_the_page_says_who_does_what_now_and_why(self):
        page = self.client.get("/day").text
        for says in ("Ylva", "It can begin now.", "On the time line", "Hand over"):
            self.assertIn(says, page)
        piece, placed = self.head("plugs")
        asked = self.client.get("/day", params={"piece": piece}).text
        self.assertIn('id="asked"', asked)

    def test_nobody_there_and_nothing_to_do(self):
        setup = self.workshop.day.setup
        self.workshop.day.keep_setup(setup.model_copy(update={"hours": {"Ylva": Hours(there=False)}}))
        self.assertIn("Nobody is there", self.client.get("/day").text)
        for job in ("weak", "plugs"):
            self.do("put", job=job, on="no")
        self.assertIn("No job is on the day", self.client.get("/day").text)

    def test_the_wall_has_every_person_and_every_wait(self):
        page = self.client.get("/day/print").text
        self.assertIn("<h2>Ylva</h2>", page)
        self.assertIn("<h2>Rings</h2>", page)

    def test_hours_bays_and_tools_are_kept(self):
        hours = {"name": "Ylva", "since": "07.00", "until": "1530", "breaks": "09:30-09:45, 12:00–12:30"}
        more = {"days": ["0", "1"], "may": ["measure"], "there": "yes", "off": "2026-12-24"}
        self.assertEqual(self.client.post("/day/setup/hours", data={**hours, **more}).status_code, 303)
        kept = self.workshop.day.setup.hours_of("Ylva")
        self.assertEqual([b.says for b in kept.breaks], ["09:30-09:45", "12:00-12:30"])
        self.assertEqual((kept.days, kept.may, str(kept.until)), ((0, 1), ("measure",), "15:30:00"))
        self.client.post(
            "/day/setup/bays", data={"bay-0": "Pit", "kind-0": "lift", "bay-1": "", "kind-1": "floor"}
        )
        self.assertEqual([(b.name, b.kind) for b in self.workshop.day.setup.bays], [("Pit", "lift")])
        self.client.post("/day/setup/tools", data={"tools": ["scope", "nonsense"]})
        self.assertEqual(self.workshop.day.setup.tools, ("scope",))
        self.assertIn("Pit", self.client.get("/day/setup").text)

    def test_hours_that_cannot_be_keep_what_was_typed(self):
        right = {"name": "Ylva", "since": "07:30", "until": "16:30", "breaks": "", "there": "yes"}
        for name, typed, says in (
            ("since", "7 o'clock", "is no time of day, as 07:30"),
            ("until", "", "a time of day is wanted"),
            ("until", "06:00", "the day ends after it begins"),
            ("breaks", "noon", "is no break, as 12:00-12:45"),
            ("breaks", "17:00-18:00", "a break lies within the day"),
            ("off", "Christmas", "is no day, as 2026-12-24"),
        ):
            with self.subTest(name=name, typed=typed):
                answer = self.client.post("/day/setup/hours", data={**right, name: typed})
                self.assertEqual(answer.status_code, 422)
                self.assertIn(says, answer.text.replace("&#39;", "'"))
        double = {"bay-0": "Pit", "kind-0": "lift", "bay-1": "Pit", "kind-1": "floor"}
        self.assertIn("another bay has this name", self.client.post("/day/setup/bays", data=double).text)


class InACalendar(WithDay):
    def test_the_feed_holds_the_plan_and_only_for_who_has_its_address(self):
        self.assertEqual(self.client.get("/day/feed/anything.ics").status_code, 404)
        self.client.post("/day/setup-feed")
        address = re.search(r'href="(/day/feed/[^"]+)"', self.client.get("/day").text)[1]
        read = Calendar.from_ical(self.client.get(address).content)
        events = list(read.walk("VEVENT"))
        laid = self.laid()
        whole = [p for p in laid.plan.placed if laid.day.pieces[p.piece].block in ("", p.piece)]
        self.assertEqual(len(events), len(whole))
        self.assertEqual(len({str(e["UID"]) for e in events}), len(events))
        first = next(e for e in events if e.decoded("dtstart") == laid.at)
        self.assertIn("Ylva", str(first["DESCRIPTION"]))
        only = Calendar.from_ical(self.client.get(address + "?who=Nobody").content)
        self.assertTrue(all(str(e["SUMMARY"]).startswith("Rings") for e in only.walk("VEVENT")))
        self.client.post("/day/setup-feed")
        self.assertEqual(self.client.get(address).status_code, 404)


if __name__ == "__main__":
    unittest.main()
