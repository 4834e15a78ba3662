"""Training in the pages: drawn, shared, gone on with, looked back on, set for several, and gone; a training
vehicle is never among the real jobs, and shows no more than its help allows."""

import json
import re
import unittest

from frosty_piston.core.errors import BadInput
from frosty_piston.knowledge.training_shapes import LESSONS
from frosty_piston.training.exercise import Spec
from frosty_piston.training.sessions import FORMAT, draw, read_spec, spec_of, weakest, write_spec
from tests.cases import MODERN, job_file, symptom
from tests.job.test_next_step import K
from tests.web.test_api import WithClient

RELAY, HOT_BREAKDOWN = 2, 3
TICKS = list(K.cautions)


class OnThePages(WithClient):
    def begin(self, number=RELAY, help_="off", **more):
        answer = self.client.post("/training/number", data={"number": str(number), "help": help_, **more})
        self.assertEqual(answer.status_code, 303, answer.text[:300])
        return answer.headers["location"]

    def act(self, at, act, seen=None, **more):
        done = len(self.kept(at).acts) if seen is None else seen
        return self.client.post(f"{at}/act", data={"act": act, "seen": str(done), "tick": TICKS, **more})

    def kept(self, at):
        return self.workshop.training.exercises.get(at.removeprefix("/training/"))

    def job(self, at, page="narrow"):
        return self.client.get(f"{at.replace('/training/', '/jobs/')}/{page}")

    def wrong_way(self, at):
        """The codes, a wrong part, a drive, handed over all the same."""
        self.act(at, "scan")
        self.act(at, "sure", repair="glow_plugs", sure="85")
        self.act(at, "fit", option="glow_set", repair="glow_plugs", sure="85")
        if self.kept(at).acts and "tip" in self.client.get(at).text:
            self.act(at, "search")
        self.act(at, "drive")
        return self.act(at, "done", sure="60")


class Exercises(OnThePages):
    def test_from_the_draw_to_what_is_said_afterwards(self):
        answer = self.client.post("/training/draw", data={"lesson": "relay_clicks", "help": "off"})
        at = answer.headers["location"]
        self.assertEqual(
            spec_of(self.kept(at).spec).number % LESSONS, K.training.lessons["relay_clicks"].number
        )
        page = self.client.get(at).text
        self.assertIn("simulated, nothing here is a real job", page)
        self.assertNotIn(K.training.lessons["relay_clicks"].title, page, "what it is stays a secret")
        self.assertEqual(self.client.get(f"{at}/after").headers["location"], at)
        for step in (("scan", {}), ("test", {"test": "battery_rest"}), ("give_up", {})):
            answer = self.act(at, step[0], **step[1])
            self.assertEqual(answer.status_code, 303)
        self.assertEqual(answer.headers["location"], f"{at}/after")
        after = self.client.get(f"{at}/after").text
        self.assertIn(K.faults["glow_relay_contacts"].title.lower(), after.lower())
        for says in ("You", "The proposals", "given up"):
            self.assertIn(says, after)
        self.assertEqual(self.client.get(f"{at}/after").text, after)
        self.assertEqual(self.act(at, "scan").status_code, 422)

    def test_a_wrong_part_is_counted_in_money_and_said(self):
        at = self.begin()
        part = self.client.get(f"{at}/part?repair=glow_plugs").text
        self.assertIn("Buy it and fit it", part)
        self.assertEqual(self.wrong_way(at).headers["location"], f"{at}/after")
        after = self.client.get(f"{at}/after").text
        self.assertIn("not cured", after)
        self.assertIn("Bought and not needed", after)
        kept = self.kept(at)
        self.assertEqual(len(kept.result["wrong_parts"]), 1)
        self.assertGreater(kept.result["wrong_money"], 0)
        self.assertEqual([tuple(x) for x in kept.result["sure"]], [(0.85, False)] * 2 + [(0.6, False)])
        lessons = self.client.get("/training").text
        self.assertIn("not cured, 1 part for nothing", lessons)
        self.assertIn("over 3 answers", lessons)

    def test_what_cannot_be_done_says_so_where_it_was_pressed_and_keeps_what_was_typed(self):
        at = self.begin()
        for data, says in (
            ({"act": "fly"}, "choose one of scan"),
            (
                {"act": "test", "test": "glow_resistance", "point": "plug"},
                "not reached yet: engine cover off",
            ),
            ({"act": "sure", "repair": "moon", "sure": "50", "form": "sure"}, "choose what you would repair"),
            ({"act": "sure", "repair": "", "sure": "400", "form": "sure"}, "10 to 99"),
            (
                {"act": "fit", "option": "glow_set", "repair": "glow_plugs", "form": "fit-glow_set"},
                "how sure",
            ),
            ({"act": "fit", "option": "moon", "repair": "glow_plugs", "form": "fit-moon"}, ""),
            ({"act": "fit", "option": "moon", "repair": "moon"}, "choose what you would repair"),
            ({"act": "done", "form": "done"}, "how sure"),
        ):
            with self.subTest(data):
                answer = self.act(at, data.pop("act"), **data)
                self.assertEqual(answer.status_code, 422)
                self.assertIn(says.lower(), answer.text.lower())
        self.assertEqual(self.kept(at).acts, ())
        answer = self.client.post(f"{at}/act", data={"act": "scan", "seen": "x"})
        self.assertEqual(answer.status_code, 422)
        self.assertEqual(self.client.get(f"{at}/part?repair=moon").status_code, 422)
        for path in ("", "/after", "/part", "/file"):
            self.assertEqual(self.client.get(f"/training/training-nobody{path}").status_code, 404)
        self.assertEqual(self.client.post("/training/training-nobody/act").status_code, 404)

    def test_pressed_twice_is_done_once(self):
        at = self.begin()
        self.assertEqual(self.act(at, "scan", seen=0).status_code, 303)
        answer = self.act(at, "scan", seen=0)
        self.assertEqual(answer.status_code, 409)
        self.assertEqual(len(self.kept(at).acts), 1)

    def test_what_is_read_stands_with_its_verdict_and_a_recording_is_judged_on_its_own_page(self):
        at = self.begin(HOT_BREAKDOWN)
        self.act(at, "test", test="battery_rest")
        self.assertRegex(self.client.get(at).text, r'<b class="num">1[0-9]\.\d+ V')
        self.act(at, "reach", access="engine_cover_off")
        answer = self.act(at, "test", test="boost_trace")
        self.assertEqual(answer.status_code, 303)
        link = re.search(r'href="(/jobs/training-[^"]*/traces/rec-[^"]*)"', self.client.get(at).text).group(1)
        page = self.client.get(link)
        self.assertEqual(page.status_code, 200)
        self.assertIn("Training vehicle", page.text)

    def test_each_reading_has_the_verdict_of_its_own_and_what_several_come_to_stands_at_the_last(self):
        at = self.begin()
        self.act(at, "test", test="glow_relay")
        rows = re.findall(r"<li>(.*?)</li>", self.client.get(at).text, re.S)
        marks = {}
        for row in rows:
            if spot := re.search(r'readspot">(\w+)<', row):
                marks[spot.group(1)] = re.search(r"svg[^#]*#(\w+)", row).group(1)
        self.assertEqual(marks.pop("Output"), "flame")
        self.assertEqual(marks.pop("Relay", "flame"), "flame")
        self.assertEqual(set(marks.values()), {"crystal"}, marks)

    def test_it_stands_the_same_after_a_restart(self):
        at = self.begin()
        self.act(at, "scan")
        self.act(at, "test", test="battery_rest")
        job_id = at.removeprefix("/training/")

        def tape():
            self.workshop.training.tapes.forget()
            return [(e.id, e.kind, e.at, e.data) for e in self.workshop.training.tapes.job(job_id).job.tape]

        before = tape()
        self.assertTrue(before)
        self.client.get(at)
        self.client.get(at)
        self.assertEqual(tape(), before, "what stands is not written twice")


class Help(OnThePages):
    def test_off_shuts_every_page_that_thinks_until_it_is_over(self):
        at = self.begin(help_="off")
        for page in ("narrow", "plan", "why/glow_relay_contacts", "decide", "prove", "measure"):
            answer = self.job(at, page)
            self.assertEqual(answer.status_code, 403, page)
            self.assertIn("Help is off in this exercise", answer.text)
        self.assertEqual(self.job(at, "tape").status_code, 200)
        self.assertEqual(self.act(at, "look").status_code, 422)
        self.act(at, "give_up")
        self.assertEqual(self.job(at).status_code, 200)

    def test_on_request_each_look_is_counted_and_shut_again_by_the_next_act(self):
        at = self.begin(help_="on_request")
        self.assertIn("on request", self.job(at).text)
        self.assertEqual(self.job(at).status_code, 403)
        self.assertEqual(
            self.act(at, "look").headers["location"], at.replace("training/", "jobs/", 1) + "/narrow"
        )
        self.assertEqual(self.job(at).status_code, 200)
        self.act(at, "scan")
        self.assertEqual(self.job(at).status_code, 403)
        self.act(at, "look")
        self.act(at, "give_up")
        self.client.get(f"{at}/after")
        self.assertEqual(self.kept(at).result["looks"], 2)

    def test_on_shows_what_a_real_job_shows_but_nothing_is_written_by_hand(self):
        at = self.begin(help_="on")
        self.assertEqual(self.job(at).status_code, 200)
        job = at.replace("/training/", "/jobs/")
        for path in (f"{job}/tape/note", f"{job}/measure/cell", f"/api/v1{job}/entries"):
            answer = self.client.post(path, data={"text": "x"})
            self.assertEqual(answer.status_code, 403, path)

    def test_it_is_handed_out_at_no_door_as_a_job(self):
        at = self.begin(help_="on")
        job = at.replace("/training/", "/jobs/")
        for path in ("", "/assessment"):
            self.assertEqual(self.client.get(f"/api/v1{job}{path}").status_code, 403, path)


class Apart(OnThePages):
    def test_it_is_never_among_the_real_jobs(self):
        self.client.post("/api/v1/jobs", json=job_file(symptom("no_start"), job_id="real"))
        at = self.begin()
        self.act(at, "scan")
        self.act(at, "give_up")
        self.client.get(f"{at}/after")
        for page in ("/", "/done", "/search?q=training", "/shelf/own", "/year", "/day"):
            self.assertNotIn("Training vehicle", self.client.get(page).text, page)
        listed = self.client.get("/api/v1/jobs").json()
        self.assertNotIn("training-", json.dumps(listed))
        self.assertEqual(self.workshop.tapes.job("real").job.id, "real")

    def test_a_file_with_the_id_of_one_is_refused_everywhere(self):
        file = job_file(symptom("no_start"), job_id="training-mine")
        answer = self.client.post("/api/v1/jobs", json=file)
        self.assertEqual(answer.status_code, 422)
        self.assertIn("training vehicle", answer.text)

    def test_gone_is_gone_for_good(self):
        at = self.begin()
        self.act(at, "scan")
        job_id = at.removeprefix("/training/")
        self.assertEqual(self.client.post(f"{at}/gone").status_code, 303)
        for path in (at, f"{at}/after", f"/jobs/{job_id}/tape"):
            self.assertEqual(self.client.get(path).status_code, 404, path)
        with self.workshop.training.engine.connect() as db:
            for table in ("entries", "jobs", "exercises", "acts", "attachments"):
                rows = db.exec_driver_sql(f"SELECT count(*) FROM {table}").scalar()
                self.assertEqual(rows, 0, table)

    def test_somebody_else_s_exercise_is_looked_at_and_not_gone_on_with(self):
        self.client.cookies["piston_who"] = "Ylva"
        at = self.begin()
        self.client.cookies["piston_who"] = "Torvald"
        answer = self.act(at, "scan")
        self.assertEqual(answer.status_code, 403)
        self.assertIn("Ylva", answer.text)


class Shared(OnThePages):
    def test_by_its_address_it_is_the_same_vehicle(self):
        at = self.begin(help_="off", card_known="unknown")
        self.act(at, "scan")
        self.act(at, "give_up")
        share = re.search(r'/training/new\?[^"<\s]+', self.client.get(f"{at}/after").text).group(0)
        page = self.client.get(share.replace("&amp;", "&"))
        self.assertEqual(page.status_code, 200)
        fields = dict(re.findall(r'type="hidden" name="(\w+)" value="([^"]*)"', page.text))
        other = self.client.post("/training/number", data=fields).headers["location"]
        self.assertNotEqual(other, at)
        self.assertEqual(self.kept(other).spec, self.kept(at).spec)

    def test_by_its_file_it_is_the_same_vehicle(self):
        at = self.begin(help_="on")
        given = self.client.get(f"{at}/file")
        self.assertIn(".fpexercise.json", given.headers["content-disposition"])
        answer = self.client.post("/training/file", files={"file": ("x.json", given.content)})
        self.assertEqual(self.kept(answer.headers["location"]).spec, self.kept(at).spec)

    def test_files_that_are_none_say_what_is_wrong(self):
        good = write_spec(Spec(RELAY))
        card = dict(Spec(RELAY).vehicle(K).engine)
        self.assertEqual(read_spec(json.dumps({**good, "card": card}).encode(), K), Spec(RELAY, card=card))
        for data, says in (
            ("", "not the file of an exercise"),
            ("[]", "file: "),
            ("[" * 20000, "not the file of an exercise"),
            ("x" * 70_000, "larger than 64 kB"),
            ({**good, "format": "other"}, "format"),
            ({**good, "version": 2}, "version"),
            ({**good, "vehicle": -1}, "vehicle"),
            ({**good, "vehicle": 32 * 10**6}, "vehicle"),
            ({**good, "vehicle": 31}, "no vehicle with this number"),
            ({**good, "help": "maybe"}, "help"),
            ({**good, "card": {"name": 5}}, "name"),
            ({**good, "more": 1}, "more"),
        ):
            raw = data if isinstance(data, str) else json.dumps(data)
            with self.subTest(raw[:60]):
                answer = self.client.post("/training/file", files={"file": ("x.json", raw.encode())})
                self.assertEqual(answer.status_code, 422)
                self.assertIn(says, answer.text)
        self.assertEqual(self.client.post("/training/file", files={}).status_code, 422)
        self.assertEqual(self.workshop.training.exercises.listed(), [])
        self.assertEqual(json.loads(json.dumps(good))["format"], FORMAT)

    def test_what_is_typed_wrong_at_the_shelf(self):
        for path, data, says in (
            ("number", {"number": "abc"}, "number"),
            ("number", {"number": ""}, "type the number of the vehicle"),
            ("number", {"number": str(LESSONS * 10**6)}, "number"),
            ("number", {"number": "31"}, "no vehicle with this number"),
            ("number", {"number": "2", "help": "moon"}, "choose"),
            ("number", {"number": "2", "card": "moon"}, "choose a card of the list"),
            ("draw", {"lesson": "moon"}, "choose what to train"),
            ("draw", {"lesson": "any", "difficulty": "moon"}, "choose one of any, easy, middle, hard"),
            ("draw", {"lesson": "any", "help": "moon"}, "choose one of off, on_request, on"),
            ("sets", {"title": "", "number": "2", "people": "Ylva"}, "name it"),
            ("sets", {"title": "x", "number": "2", "people": " , "}, "name who it is for"),
            ("sets", {"title": "x", "number": "y", "people": "Ylva"}, "number"),
        ):
            with self.subTest(path=path, data=data):
                answer = self.client.post(f"/training/{path}", data=data)
                self.assertEqual(answer.status_code, 422)
                self.assertIn(says, answer.text)
                for value in filter(None, data.values()):
                    if value not in ("moon", "any"):
                        self.assertIn(f'value="{value}"', answer.text)
        self.assertEqual(self.client.get("/training/new?number=x").status_code, 422)

    def test_set_for_several_each_does_it_once_and_they_stand_side_by_side(self):
        self.client.post(
            "/training/sets",
            data={"title": "Friday, glow", "number": str(RELAY), "people": "Ylva; Torvald", "help": "off"},
        )
        (one,) = self.workshop.training.exercises.sets()
        self.client.cookies["piston_who"] = "Odd"
        self.assertEqual(self.client.post(f"/training/begin/{one.id}").status_code, 403)
        ways = {}
        for name in ("Ylva", "Torvald"):
            self.client.cookies["piston_who"] = name
            self.assertIn("Friday, glow", self.client.get("/training").text)
            at = self.client.post(f"/training/begin/{one.id}").headers["location"]
            self.assertEqual(self.client.post(f"/training/begin/{one.id}").headers["location"], at)
            self.act(at, "test", test="battery_rest")
            ways[name] = at
            page = self.client.get(f"/training/sets/{one.id}").text
            self.assertIn("at it", page)
        tapes = [re.findall(r"1\d\.\d+ V", self.client.get(at).text) for at in ways.values()]
        self.assertEqual(tapes[0], tapes[1])
        self.client.cookies["piston_who"] = "Ylva"
        self.act(ways["Ylva"], "give_up")
        page = self.client.get(f"/training/sets/{one.id}").text
        self.assertIn("given up", page)
        self.assertNotIn("not begun", page)
        self.assertEqual(self.client.post(f"/training/sets/{one.id}/drop").status_code, 303)
        self.assertEqual(self.workshop.training.exercises.sets(), [])
        self.assertEqual(self.client.get(f"/training/sets/{one.id}").status_code, 303)


class Chosen(unittest.TestCase):
    def result(self, lesson, good, faults=()):
        wrong = [] if good else ["x"]
        return {
            "lesson": lesson,
            "cured": good,
            "ended": "done",
            "wrong_parts": wrong,
            "faults": list(faults),
        }

    def test_what_somebody_gets_wrong_most_is_drawn(self):
        import random

        chance = random.Random(1)
        good = [self.result(key, True) for key, x in K.training.lessons.items() if x.kind != "any"]
        bad = [self.result("relay_clicks", False), self.result("relay_clicks", False)]
        self.assertEqual(weakest([*good, *bad], K, chance), "relay_clicks")
        seen = {weakest([*good[:-1]], K, chance) for _ in range(5)}
        self.assertEqual(seen, {list(K.training.lessons)[-1]}, "what was never tried comes next")
        anything = [*good, *[self.result("any", False, ["glow_relay_contacts"])] * 3]
        self.assertEqual(weakest(anything, K, chance), "glow")

    def test_a_vehicle_is_as_hard_as_it_was_asked_for(self):
        import random

        from frosty_piston.training.sessions import difficulty_of

        for difficulty in ("easy", "hard"):
            spec = draw(K, "glow", difficulty, "off", None, True, random.Random(3))
            self.assertEqual(difficulty_of(spec, K), difficulty)
        for difficulty in ("easy", "hard"):
            spec = draw(K, "healthy", difficulty, "off", None, True, random.Random(3))
            self.assertEqual((difficulty_of(spec, K), spec.vehicle(K).faults), (difficulty, ()))
        with self.assertRaises(BadInput) as refused:
            draw(K, "stop", "any", "off", MODERN, True, random.Random(3))
        self.assertEqual(refused.exception.faults[0].path, "difficulty")


if __name__ == "__main__":
    unittest.main()
