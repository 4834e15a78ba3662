"""Calculators without a job: their numbers stand in the address; what cannot be is answered at its field."""

import html
import json
import re
import unittest
from uuid import uuid4

from frosty_piston.core.words import inside
from frosty_piston.store.timestamps import now
from frosty_piston.web.pocket.calculators import CALCULATORS
from tests.cases import job_file, symptom
from tests.web.test_api import WithClient


class Pocket(WithClient):
    def shown(self, address, status=200):
        answer = self.client.get(f"/pocket/{address}")
        self.assertEqual(answer.status_code, status, address)
        return re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", html.unescape(answer.text).replace("\xa0", " ")))

    def test_a_reading_in_every_unit_and_what_it_is_worth(self):
        # 21 inHg is 71.1 kPa, 711 mbar, 533 mmHg; at 1 500 m (84.5 kPa) as good as 85.2 kPa at the sea
        shown = self.shown("vacuum?value=21&unit=inHg&altitude=1500")
        for words in ("kPa 71.1", "mbar 711", "inHg 21", "mmHg 533", "85.2 kPa", "at 1 500 m", "70.8 kPa"):
            self.assertIn(words, shown)
        self.assertIn("sound", shown)
        self.assertIn("Low for", self.shown("vacuum?value=71").replace("That is low for", "Low for"))
        self.assertIn("As good as", self.shown("vacuum?value=60&barometer=84"))

    def test_a_leak_as_a_hole(self):
        # 60 to 48 in 60 s, choked: tau 60 * 47.6/12 = 238 s; 55 ml / 238 = 0.23 ml/s; a hole of 0.03 mm
        shown = self.shown("leak?start=60&end=48&seconds=60")
        for words in ("12 kPa", "238 ±", "0.23 ±", "0.03 mm", "a general actuator, good to a quarter"):
            self.assertIn(words, shown)
        self.assertNotIn("a general actuator", self.shown("leak?start=60&end=48&seconds=60&volume=1000"))
        self.assertIn("Nothing was lost", self.shown("leak?start=60&end=60&seconds=60"))

    def test_what_cannot_be_is_answered_at_its_field(self):
        for address, says in (
            ("vacuum?value=590", "that is 590 kPa, and the air is 101.3 kPa"),
            ("vacuum?value=90&altitude=1500", "the air is 84.5 kPa"),
            ("vacuum?value=much", "no figure"),
            ("vacuum?value=20&altitude=9000", "-500 to 6 000 m"),
            ("leak?start=60&end=48&seconds=0", "1 to 7 200 s"),
            ("leak?start=60&end=48&seconds=60&volume=0", "1 to 20 000 ml"),
        ):
            self.assertIn(says, self.shown(address, 422), address)
        answer = self.client.get("/pocket/vacuum?value=590&unit=mbar&altitude=200")
        self.assertEqual(answer.status_code, 200)
        self.assertIn('value="590"', answer.text)

    def test_a_wire(self):
        # 2 * 10 A * 0.0175 * 5 m / 2.5 mm2 = 0.7 V; for 0.5 V: 3.5 mm2, so 4
        shown = self.shown("wire?current=10&length=5&section=2.5&allowed=0.5")
        for words in ("0.7 V", "3.5 mm²", "4 mm²"):
            self.assertIn(words, shown)
        self.assertIn("more than one wire", self.shown("wire?current=900&length=20&allowed=0.2"))
        self.assertIn("0.01 to 2 000 A", self.shown("wire?current=0&length=5", 422))

    def test_network_pins(self):
        shown = self.shown("network?high=2.7&low=2.3&pair=120")
        for words in ("High: sound", "Low: sound", "Across the pair: off", "terminator is missing"):
            self.assertIn(words, shown)

    def test_fingers_on_the_probes(self):
        # 100 k beside 1 M: 111.1 k; beside 50 k the hands alone would show less
        shown = self.shown("fingers?shown=100k")
        for words in ("111.1 kΩ", "the hands alone show less", "read again"):
            self.assertIn(words, shown)
        self.assertIn("is not moved", self.shown("fingers?shown=0.5"))
        self.assertIn("no figure", self.shown("fingers?shown=much", 422))

    def test_how_long_a_piezo_keeps_its_charge(self):
        # 185 k * 6 uF * ln(160/60) = 1.09 s; ten times the resistance ten times as long; open never
        for asked, words in (
            ("185", "Under 60 V after 1.1 s"),
            ("1850", "Under 60 V after 10.9 s"),
            ("185&volts=50", "Under 60 V after 0 s"),
            ("185M", "Wait all the same 19 min"),
            ("OL", "It never drains by itself"),
        ):
            self.assertIn(words, self.shown(f"charge?resistance={asked}"))
        self.assertIn("Wait all the same 5 min", self.shown("charge?resistance=185"))
        self.shown("charge?resistance=much", 422)
        self.shown("charge?resistance=185&volts=900", 422)

    def test_the_way_there(self):
        self.assertIn('href="/pocket"', self.client.get("/shelf").text)
        shelf = self.client.get("/pocket").text
        for name, one in CALCULATORS.items():
            with self.subTest(name):
                self.assertIn(f'href="/pocket/{name}"', shelf)
                page = self.shown(name)
                for words in (one.formula, one.source, one.unsure):
                    self.assertIn(re.sub(r"\s+", " ", words), page)
        self.assertEqual(self.client.get("/pocket/poem").status_code, 404)

    def test_ohm_and_heat(self):
        # 12 V over 0.8 ohm: 15 A, 180 W; the meter is good to 0.8 % and 0.03 ohm in 0.8: 4.6, so 5 %
        for address in ("ohm?volts=12&ohm=0.8", "ohm?volts=12&amps=15", "ohm?amps=15&ohm=0.8"):
            shown = self.shown(address)
            for words in ("12 V", "15 A", "0.8 Ω", "180 W ± 5 %"):
                self.assertIn(words, shown)
        self.assertIn("two of the three are enough", self.shown("ohm?volts=12&amps=15&ohm=1", 422))

    def test_a_test_lamp(self):
        # worked example: 2 W behind 15 ohm takes 0.73 of its power, and looks bright (0.7) up to 16.8 ohm
        shown = self.shown("lamp?watts=2&ohm=15")
        for words in ("73 % of its power", "50 % of its light", "16.8 Ω"):
            self.assertIn(words, shown)
        self.assertIn("1.6 Ω", self.shown("lamp?watts=21"))

    def test_a_cold_start(self):
        # an 8-cylinder direct engine bears a quarter of its plugs dead near 0 °C, and no more
        good = self.shown("cold?cylinders=8&working=6&ambient=0")
        bad = self.shown("cold?cylinders=8&working=5&ambient=0")
        chance = [int(re.search(r"It starts at 0 °C (?:over |under )?(\d+) %", t)[1]) for t in (good, bad)]
        self.assertGreater(chance[0], 85)
        self.assertLess(chance[1], 75)
        self.assertIn("at most 4 can work", self.shown("cold?cylinders=4&working=5&ambient=0", 422))

    def test_cooling(self):
        # 90 °C in 10 °C, tau 3 h: 55 °C after 3 ln(80/45) = 1.73 h; cold after 3 ln(80/3) = 9.85 h
        shown = self.shown("cooling?start=90&around=10")
        for words in ("1 h 44 min", "9 h 51 min", "general"):
            self.assertIn(words, shown)
        # 39.43 °C after 3 h is just that cooling, and from there on it is its own
        self.assertIn("tau 3 h, its own", self.shown("cooling?start=90&around=10&later=39.43&hours=3"))
        self.assertIn("never: the air is hotter", self.shown("cooling?start=70&around=60"))
        self.assertIn(
            "it falls from the first", self.shown("cooling?start=40&around=10&later=60&hours=1", 422)
        )

    def test_wiggling(self):
        # six of six in half of the time: 1/64
        shown = self.shown("wiggle?drops=6&seconds=60&rest=0&rest_s=60")
        for words in ("about 1 in 64", "6 a minute", "0 a minute"):
            self.assertIn(words, shown)

    def test_money_of_two_options(self):
        # 1 300 + 0.1 * 2 000 + 0.28 * 1 300 = 1 864; 3 000 + 0.1 * 2 000 + 0.03 * 3 000 = 3 290
        shown = self.shown(
            "money?a_price=1300&a_cures=90&a_back=28&b_price=3000&b_cures=90&b_back=3&next=2000"
        )
        for words in ("1 864 kr", "3 290 kr", "1 426 kr", "19 % sure"):
            self.assertIn(words, shown)


class OnAJob(WithClient):
    def setUp(self):
        super().setUp()
        self.workshop.tapes.import_file(json.dumps(job_file(symptom("no_start"))).encode())

    def use(self, name, **given):
        return self.client.post(f"/jobs/case/pocket/{name}", data={"entry_id": str(uuid4()), **given})

    def test_every_answer_can_be_written_on_the_job_it_was_opened_from(self):
        for name, given in (
            ("ohm", {"volts": "12", "ohm": "0.8"}),
            ("lamp", {"watts": "2"}),
            ("wire", {"current": "10", "length": "5", "section": "2.5"}),
            ("fingers", {"shown": "150k"}),
            ("charge", {"resistance": "185"}),
            ("network", {"high": "2.7", "low": "2.3"}),
            ("wiggle", {"drops": "6", "seconds": "60", "rest": "0", "rest_s": "60"}),
            ("vacuum", {"value": "70"}),
            ("leak", {"start": "60", "end": "48", "seconds": "60"}),
            ("def", {"ppm": "500", "flow": "40"}),
            ("filter", {"points": "60 1.6 120 3.6 180 6.1"}),
            ("cold", {"cylinders": "4", "working": "3", "ambient": "-5"}),
            ("clean", {"returns": "60 100 80", "before": "80"}),
            ("money", {"a_price": "1300", "a_cures": "90", "b_price": "3000", "b_cures": "90"}),
        ):
            with self.subTest(name):
                page = self.client.get(f"/pocket/{name}", params={**given, "job": "case"}).text
                self.assertIn("Use on this job", page)
                self.assertEqual(self.use(name, **given).status_code, 303)
                note = self.workshop.tapes.job("case").job.live[-1]
                self.assertEqual(note.kind, "note")
                says = note.data.text.removeprefix(f"Pocket, {inside(CALCULATORS[name].title)}: ")
                self.assertNotEqual(says, note.data.text)
                self.assertGreater(len(says), 20)

    def test_cooling_begins_the_wait_it_worked_out(self):
        self.use("cooling", start="90", around="10")
        note, wait = self.workshop.tapes.job("case").job.live[-2:]
        self.assertEqual((note.kind, wait.kind, wait.data.wait), ("note", "wait", "cold_soak"))
        self.assertAlmostEqual((wait.data.until - now()).total_seconds() / 3600, 9.85, delta=0.02)

    def test_the_same_press_writes_once_and_nothing_is_written_from_nothing(self):
        sent = {"entry_id": str(uuid4()), "volts": "12", "ohm": "0.8"}
        for _ in range(2):
            self.assertEqual(self.client.post("/jobs/case/pocket/ohm", data=sent).status_code, 303)
        self.assertEqual(len(self.workshop.tapes.job("case").job.live), 2)
        answer = self.use("ohm", volts="12")
        self.assertEqual(answer.status_code, 422)
        self.assertIn("type what it is worked out from first", answer.text)
        self.assertEqual(self.use("poem").status_code, 404)
        self.assertNotIn("Use on this job", self.client.get("/pocket/ohm?volts=12&ohm=1&job=none").text)


if __name__ == "__main__":
    unittest.main()


class Exhaust(WithClient):
    def asked(self, address):
        answer = self.client.get(address)
        return answer.status_code, html.unescape(answer.text)

    def test_worked_figures(self):
        for address, wanted in (
            ("/pocket/def?ppm=300&flow=51.5", ("24.6 mg/s, 88.5 g/h", "160 g/h, 147 ml/h")),
            ("/pocket/def?ppm=300&flow=51.5&used=0.5&hours=10", ("doses too little",)),
            ("/pocket/filter?air=50&fuel=1.5&exhaust=250&drop=3", ("267 m³/h",)),
            ("/pocket/filter?points=60+1.6+120+3.6+180+6.1", ("2.89 ±", "2.9")),
            ("/pocket/filter?oil=0.3&km=150000", ("153 g",)),
            ("/pocket/clean?returns=60+100+80&before=74&clean=24", ("79 %", "109", "202")),
            ("/pocket/clean?returns=5+3+4&before=74&clean=24", ("99 %",)),
        ):
            with self.subTest(address):
                status, page = self.asked(address)
                self.assertEqual(status, 200)
                for text in wanted:
                    self.assertIn(text, page)

    def test_what_cannot_be_is_told_at_its_field(self):
        for address, says in (
            ("/pocket/def?ppm=9000&flow=5", "is out of reach"),
            ("/pocket/filter?points=60+1.6+120", "in pairs"),
            ("/pocket/filter?points=a+b", "in pairs"),
            ("/pocket/clean?returns=60+x&before=74", "came back each time"),
            ("/pocket/clean?returns=-3&before=74", "above 0"),
        ):
            with self.subTest(address):
                status, page = self.asked(address)
                self.assertEqual(status, 422)
                self.assertIn(says, page)
