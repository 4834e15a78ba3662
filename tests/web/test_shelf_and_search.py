"""Shelf, Search and Why as pages: everything can be read, what is added is checked, what is not there is
said."""

import json

from frosty_piston.knowledge import load_knowledge
from tests.cases import MODERN, VACUUM, code, entry, job_file, scan, symptom
from tests.web.test_api import WithClient

K = load_knowledge()


class Pages(WithClient):
    def setUp(self):
        super().setUp()
        self.workshop.tapes.import_file(
            json.dumps(
                job_file(
                    symptom("limp_mode"),
                    code("P0299"),
                    code("P1662"),
                    entry("code", code="B1000", module="airbag"),
                    scan(),
                    engine=MODERN,
                )
            ).encode()
        )

    def see(self, path, status=200):
        answer = self.client.get(path)
        self.assertEqual(answer.status_code, status, path)
        return answer.text

    def test_a_pattern_sent_twice_stands_once(self):
        fault = next(iter(self.workshop.knowledge.faults))
        good = {"engine": "Norra", "fault": fault, "times": "3", "by": "Ylva", "why": "four of five"}
        for key in ("one-press", "one-press", "another"):
            answer = self.client.post(
                "/shelf/patterns", data={**good, "entry_id": key}, follow_redirects=False
            )
            self.assertEqual(answer.status_code, 303)
        self.assertEqual(len(self.workshop.shelf.experience.patterns), 2)

    def test_a_page_for_every_fault_and_every_test(self):
        for fault, shape in K.faults.items():
            page = self.see(f"/shelf/faults/{fault}")
            for word in (shape.title, "What proves it", "What kills it", "How it shows"):
                self.assertIn(word.replace("'", "&#39;"), page)
        for test in K.tests:
            self.assertIn("Speaks for", self.see(f"/shelf/tests/{test}"))
        for page in ("", "/faults", "/tests", "/codes", "/cautions", "/patterns"):
            self.see("/shelf" + page)
        self.see("/shelf/faults/bogus", 404)
        self.see("/shelf/tests/bogus", 404)

    def test_a_fault_says_what_would_prove_and_clear_it_with_word_and_figure(self):
        page = self.see("/shelf/faults/vane_mechanism_sticks")
        self.assertIn("Turbo lever unhooked", page)
        self.assertRegex(page, r"usually, 80 %")

    def test_why_says_the_sentence_the_weights_and_what_would_change_it(self):
        page = self.see("/jobs/case/why/boost_hose_split")
        for word in (
            "What speaks for and against it",
            "odds times",
            "What would change it",
            "How the odds went",
            "Pressure or smoke test",
        ):
            self.assertIn(word, page)
        self.assertIn("grows when the findings fit none", self.see("/jobs/case/why/unlisted"))

    def test_why_of_what_the_card_rules_out(self):
        self.workshop.tapes.import_file(
            json.dumps(job_file(symptom("limp_mode"), engine=VACUUM, job_id="old")).encode()
        )
        self.assertIn("cannot be on this engine", self.see("/jobs/old/why/scr_catalyst_aged", 404))
        self.see("/jobs/old/why/bogus", 404)

    def test_the_board_puts_noise_and_parked_codes_apart(self):
        page = self.see("/jobs/case/narrow")
        self.assertIn("for the owner", page)
        self.assertIn("Give it your text", page)
        self.assertIn("B1000", self.see("/jobs/case/report"))

    def test_states_and_tools_from_the_page(self):
        self.client.post("/jobs/case/narrow/state", data={"state": "customer_waits", "on": "yes"})
        self.assertIn("and the customer waits", self.see("/jobs/case/narrow"))
        self.client.post("/jobs/case/narrow/state", data={"state": "customer_waits", "on": "no"})
        self.assertNotIn("and the customer waits", self.see("/jobs/case/narrow"))
        self.assertEqual(
            self.client.post("/jobs/case/narrow/state", data={"state": "flying"}).status_code, 422
        )
        self.client.post("/jobs/case/narrow/tools", data={"tool": [t for t in K.tools if t != "smoke"]})
        self.assertIn("needs what is not here: smoke or pressure tester", self.see("/jobs/case/narrow"))
        self.client.post("/jobs/case/narrow/tools", data={"tool": list(K.tools)})
        self.assertNotIn("needs what is not here", self.see("/jobs/case/narrow"))

    def test_a_pattern_from_the_page_and_what_is_wrong_with_one(self):
        good = {
            "engine": "Norra D4-22",
            "fault": "turbo_worn",
            "times": "2,5",
            "by": "Ylva",
            "why": "three of four",
        }
        answer = self.client.post("/shelf/patterns", data={**good, "times": "40", "why": ""})
        self.assertEqual(answer.status_code, 422)
        for word in ("0.2 to 5", "say what it rests on", 'value="40"', 'value="Ylva"'):
            self.assertIn(word, answer.text)
        self.assertEqual(
            self.client.post("/shelf/patterns", data=good, follow_redirects=False).status_code, 303
        )
        self.assertIn("three of four", self.see("/shelf/patterns"))
        self.assertIn("Workshop pattern", self.see("/jobs/case/narrow"))
        number = self.workshop.shelf.experience.patterns[0].id
        self.client.post(f"/shelf/patterns/{number}/end")
        self.assertIn("taken down by", self.see("/shelf/patterns"))

    def test_a_code_of_a_makers_own_from_the_page(self):
        known = {"code": "P0299", "text": "x", "system": "boost", "kind": "performance", "by": "Ylva"}
        self.assertIn("is known already", self.client.post("/shelf/codes", data=known).text)
        self.assertIn(
            "is no fault code", self.client.post("/shelf/codes", data={**known, "code": "many"}).text
        )
        self.client.post("/shelf/codes", data={**known, "code": "p1662-13", "text": "Winch lock"})
        self.assertIn("Winch lock", self.see("/jobs/case/narrow"))
        self.assertIn("Winch lock", self.see("/search?q=p1662"))
        self.client.post("/shelf/codes/P1662/drop")
        self.assertNotIn("Winch lock", self.see("/shelf/codes"))

    def test_search_finds_codes_faults_tests_vehicles_and_jobs(self):
        self.workshop.garage.add_vehicle({"name": "Rescue van 8"}, None)
        for asked, found in (
            ("p0299", "/shelf/codes#P0299"),
            ("dead spot", "/shelf/faults/turbo_actuator_motor"),
            ("refractometer", "/shelf/tests/def_concentration"),
            ("rescue 8", "Rescue van 8"),
            ("case", "/jobs/case"),
            ("injection injury", "/shelf/cautions#fuel_injection_pressure"),
        ):
            page = self.see(f"/search?q={asked.replace('refractometer', 'concentration')}")
            self.assertIn(found, page, asked)
        self.assertIn("Nothing here holds all of that", self.see("/search?q=zzz+qqq"))
        self.assertIn("Type a code", self.see("/search?q="))
        self.assertNotIn("<script>alert", self.see("/search?q=%3Cscript%3Ealert(1)%3C/script%3E"))
        self.assertNotIn("<h1>", self.client.get("/search?q=egr", headers={"HX-Request": "true"}).text)

    def test_hostile_addresses(self):
        for path in (
            "/search?q=" + "x" * 5000,
            "/search?q=%00",
            "/shelf/codes?code=%3Cb%3E",
            "/search/vehicle/999999",
            "/jobs/case/measure/test/wiggle?node=../../x",
        ):
            self.assertEqual(self.client.get(path).status_code, 200, path[:40])
        self.assertEqual(self.client.get("/search/vehicle/abc").status_code, 422)
