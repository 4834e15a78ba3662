"""Codes as the tool said them: every status, its own wording, its freeze frame; and a scan by the modules
that answered."""

import json
import unittest

from frosty_piston.core.codes import STATUSES, read_block
from frosty_piston.core.errors import BadInput
from frosty_piston.job.answer import assess
from frosty_piston.job.tape import jobfile
from frosty_piston.knowledge import load_knowledge
from tests.cases import entry, job_file, symptom
from tests.web.test_forms import WithJob

K = load_knowledge()


def read(*entries):
    return jobfile.read(json.dumps(job_file(*entries)).encode(), K)


def odds(fault, *entries):
    told = assess(read(*entries), K)
    return next(s["probability"] for s in told["suspects"] if s["fault"] == fault)


class Pasted(unittest.TestCase):
    def test_statuses_are_kept_as_said_several_at_once_and_the_wording_with_them(self):
        for text, wanted in (
            ("P0671 current", ("current", (), "")),
            ("P0671 active, permanent", ("current", ("permanent",), "")),
            ("P0671 confirmed", ("stored", (), "")),
            ("P0671 intermittent Glow plug cyl. 1", ("intermittent", (), "Glow plug cyl. 1")),
            ("P0671-13 - Heater plug 1, open (sporadic)", ("intermittent", (), "Heater plug 1, open")),
            ("P0671 history", ("history", (), "")),
            ("Pending:\nP0671 Glow circuit", ("pending", (), "Glow circuit")),
            ("P0671 stored\nP0671 permanent", ("stored", ("permanent",), "")),
            ("P0671", (None, (), "")),
        ):
            with self.subTest(text):
                (found,) = read_block(text).codes
                self.assertEqual((found.status, found.also, found.text), wanted)

    def test_what_one_code_is_called_is_not_what_the_next_one_is(self):
        found = read_block("P0671 Glow plug 1 P0672 Glow plug 2 current").codes
        self.assertEqual(
            [(c.code, c.text) for c in found], [("P0671", "Glow plug 1"), ("P0672", "Glow plug 2")]
        )


class OnTheTape(unittest.TestCase):
    def test_every_status_reads_and_is_said(self):
        for status in STATUSES:
            (code,) = read(entry("code", code="P0671", status=status)).entries
            self.assertIn(status.replace("_", " "), code.data.says(K, {}))
        both = read(
            entry("code", code="P0671", status="current", also=["permanent"], at_key_on=True)
        ).entries[0]
        self.assertIn("P0671 current, permanent, back at once with the key:", both.data.says(K, {}))
        worded = read(entry("code", code="P0671", text="Heater plug 1, open")).entries[0]
        self.assertIn("(the tool: Heater plug 1, open)", worded.data.says(K, {}))

    def test_a_freeze_frame_is_kept_and_held_against_the_channels(self):
        frame = [
            {"channel": "engine_speed", "value": 1850, "unit": "rpm"},
            {"channel": "vehicle_speed", "value": 62, "unit": "km/h"},
            {"channel": "coolant_temp", "value": 84, "unit": "degC"},
        ]
        (code,) = read(entry("code", code="P0299", frame=frame)).entries
        self.assertIn("stored with it: engine speed 1850 rpm; vehicle speed 62 km/h", code.data.says(K, {}))
        for wrong, where in (
            ({"channel": "engine_sped", "value": 1, "unit": "rpm"}, "frame.0..channel"),
            ({"channel": "engine_speed", "value": 1, "unit": "degC"}, "frame.0..unit"),
            ({"channel": "coolant_temp", "value": 1e9, "unit": "degC"}, "frame.0..value"),
        ):
            with self.assertRaisesRegex(BadInput, where):
                read(entry("code", code="P0299", frame=[wrong]))

    def test_what_was_not_read_is_no_witness(self):
        """A read-out of the brakes, or a vehicle that keeps no codes, clears nothing of the engine."""
        complaint = symptom("limp_mode")
        fault = "egr_stuck_open"
        bare = odds(fault, complaint)
        for scan, moves in (
            ({"module": "all"}, True),
            ({"modules": ["engine", "brakes"]}, True),
            ({"modules": ["brakes"], "silent": ["engine"]}, False),
            ({"keeps_none": True}, False),
        ):
            with self.subTest(scan=scan):
                self.assertEqual(abs(odds(fault, complaint, entry("code_scan", **scan)) - bare) > 1e-6, moves)

    def test_a_code_that_comes_and_goes_counts_less_than_one_that_stands_and_more_than_one_of_old(self):
        complaint = symptom("limp_mode")
        known = {
            s: odds("egr_stuck_open", complaint, entry("code", code="P0404", status=s)) for s in STATUSES
        }
        self.assertLess(known["history"], known["intermittent"])
        self.assertLess(known["intermittent"], known["stored"])


class ThroughThePage(WithJob):
    def test_a_paste_keeps_status_wording_and_module(self):
        self.post("arrive/block", block="P0671 current permanent Heater plug 1", module="glow control")
        (kind, code), (_, scan) = self.tape()[-2:]
        self.assertEqual(
            (kind, code.status, code.also, code.text), ("code", "current", ["permanent"], "Heater plug 1")
        )
        self.assertEqual(scan.modules, ["glow control"])
        page = self.client.get("/jobs/case/arrive").text
        self.assertIn("The tool says: Heater plug 1", page)
        self.assertIn("current, permanent", page)

    def test_a_scan_names_its_modules_and_a_vehicle_may_keep_no_codes(self):
        self.post("arrive/scan", modules="engine, gearbox", silent="brakes")
        scan = self.tape()[-1][1]
        self.assertEqual((scan.modules, scan.silent), (["engine", "gearbox"], ["brakes"]))
        self.assertEqual(scan.says(K, {}), "Codes read, modules: engine, gearbox; no answer from: brakes")
        self.post("arrive/scan")
        self.assertEqual(self.tape()[-1][1].says(K, {}), "Codes read, modules: engine")
        self.post("arrive/scan", keeps_none="yes")
        self.assertEqual(self.tape()[-1][1].says(K, {}), "This vehicle keeps no codes")

    def test_what_was_done_lately_is_written_in_one_line_and_shown(self):
        title = K.repairs["egr_valve"].title
        self.post("arrive/history", text=title, days_ago="340", by="other", cured="yes")
        self.post("arrive/history", text="somebody had the plug off", by="owner")
        (_, first), (_, second) = self.tape()[-2:]
        self.assertEqual((first.repair, first.text, first.cured), ("egr_valve", None, True))
        self.assertEqual((second.repair, second.text), (None, "somebody had the plug off"))
        page = self.client.get("/jobs/case/arrive").text
        self.assertIn("11 months ago, by another workshop, it helped", page)
        self.assertIn("somebody had the plug off (by the owner)", page)
        refused = self.post("arrive/history", text="", by="owner")
        self.assertEqual(refused.status_code, 422)
        self.assertIn("say what was done", refused.text)


if __name__ == "__main__":
    unittest.main()
