"""Calculators without a job: their numbers stand in the address; what cannot be is answered at its field."""

import html
import re
import unittest

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
        # 60 to 48 in 60 s: tau 60/ln(60/48) = 269 s; 55 ml / 269 = 0.20 ml/s; a hole of 0.03 mm
        shown = self.shown("leak?start=60&end=48&seconds=60")
        for words in ("12 kPa", "269 ±", "0.20 ±", "0.03 mm", "good to a quarter"):
            self.assertIn(words, shown)
        self.assertNotIn("good to a quarter", self.shown("leak?start=60&end=48&seconds=60&volume=1000"))
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
        self.assertEqual(
            self.client.get("/pocket", follow_redirects=False).headers["location"], "/pocket/vacuum"
        )
        self.assertIn('href="/pocket/vacuum"', self.client.get("/shelf").text)


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
