"""Recordings through the pages: in by any layout, mapped once, judged on the tape with their stretch, out
again."""

import json
import re

import numpy as np

from frosty_piston.core.traces import Signal
from frosty_piston.formats.trace_files import read_recording, write_csv
from frosty_piston.rig.recordings import drive_recording
from frosty_piston.store.recordings import packed, unpacked
from tests.cases import MODERN, entry, job_file, scan, symptom
from tests.web.test_api import WithClient


def sweep(fault="dead_spot"):
    return next(r for s in range(60) if (r := drive_recording(s, fault)).percent and r.actual.step_s <= 0.1)


class Pages(WithClient):
    def setUp(self):
        super().setUp()
        self.workshop.tapes.import_file(
            json.dumps(job_file(symptom("emissions_message"), scan(), engine=MODERN)).encode()
        )

    def upload(self, data, name="sweep.csv"):
        return self.client.post("/jobs/case/traces", files={"file": (name, data)}, follow_redirects=False)

    def mapping(self, page):
        fields = {n: v for n, v in re.findall(r'name="(unit-\d+)" value="([^"]*)"', page)}
        for name, body in re.findall(r'<select name="(channel-\d+)".*?>(.*?)</select>', page, re.S):
            fields[name] = re.search(r'value="([^"]*)" selected', body)[1]
        return fields

    def brought_in(self, fault="dead_spot", command="EGR commanded", position="EGR position"):
        r = sweep(fault)
        where = self.upload(
            write_csv({command: (r.command, "%"), position: (r.actual, "%")}).encode()
        ).headers["location"]
        return self.client.post(
            where, data=self.mapping(self.client.get(where).text), follow_redirects=False
        ).headers["location"]

    def test_in_mapped_judged_and_on_the_tape_with_its_stretch(self):
        at = self.brought_in()
        page = self.client.get(at).text
        self.assertIn("a dead spot", page)
        self.assertIn("hatch-egr_valve", page)
        self.assertIn("EGR asked goes from", page)
        before = next(
            s.probability
            for s in self.workshop.tapes.job("case").assessed.suspicion.suspects
            if s.fault == "egr_drive_failed"
        )
        answer = self.client.post(
            at + "/drive",
            data={"node": "egr_valve", "entry_id": "judge-1", "start": "0", "end": "120"},
            follow_redirects=False,
        )
        self.assertEqual(answer.status_code, 303)
        job = self.workshop.tapes.job("case")
        last = job.job.tape[-1]
        self.assertEqual(
            (last.data.test, last.data.outcome, last.data.where.node),
            ("actuator_sweep", "dead_spot", "egr_valve"),
        )
        self.assertEqual((last.data.source.trace, last.data.source.start_s), (at.rsplit("/", 1)[1], 0.0))
        self.assertGreater(
            next(s.probability for s in job.assessed.suspicion.suspects if s.fault == "egr_drive_failed"),
            2 * before,
        )
        self.assertEqual(self.client.post(at + "/drive", data={"node": "turbo_actuator"}).status_code, 422)

    def test_the_map_is_kept_for_the_layout(self):
        r = sweep("healthy")
        data = write_csv({"Kanal 7": (r.command, "%"), "Kanal 8": (r.actual, "%")}).encode()
        first = self.upload(data).headers["location"]
        fields = self.mapping(self.client.get(first).text)
        self.assertEqual([fields["channel-1"], fields["channel-2"]], ["", ""])
        self.assertIn("map at least one column", self.client.post(first, data=fields).text)
        self.client.post(first, data={**fields, "channel-1": "egr_command", "channel-2": "egr_position"})
        again = self.client.get(self.upload(data, "another.csv").headers["location"]).text
        self.assertIn("Mapped as the last file of this layout was", again)
        self.assertEqual(self.mapping(again)["channel-2"], "egr_position")

    def test_what_is_wrong_in_the_map_is_said_at_its_column(self):
        where = self.upload(b"time [s],A [%],B [kPa]\n0,1,2\n1,2,3\n2,3,4\n").headers["location"]
        answer = self.client.post(
            where,
            data={"channel-1": "egr_position", "unit-1": "%", "channel-2": "egr_position", "unit-2": "kPa"},
        )
        self.assertEqual(answer.status_code, 422)
        self.assertIn("is taken by", answer.text)
        self.assertIn(
            "cannot be turned into rpm",
            self.client.post(where, data={"channel-2": "engine_speed", "unit-2": "kPa"}).text,
        )
        self.assertEqual(self.workshop.recordings.of_job("case"), [])

    def test_a_file_that_is_none_is_answered_at_the_field(self):
        for data, word in (
            (b"PK\x03\x04abc", "zip file"),
            (b"", "choose a file"),
            (b"hello\nworld\n", "delimiter"),
        ):
            answer = self.upload(data)
            self.assertEqual(answer.status_code, 422)
            self.assertIn(word, answer.text)
        self.assertEqual(self.client.post("/jobs/case/traces").status_code, 422)

    def test_rows_that_could_not_be_read_are_listed(self):
        where = self.upload(b"time [s],EGR position [%]\n0,1\n1,abc\n2,3\n3\n4,5\n").headers["location"]
        page = self.client.get(where).text
        self.assertIn("2 rows or cells could not be read", page)
        self.assertIn("text in column", page)

    def test_points_are_thinned_and_every_spike_is_there(self):
        values = np.zeros(200_000)
        values[123_456] = 88.0
        t = np.arange(200_000) / 50
        data = "time [s],EGR position [%]\n" + "\n".join(
            f"{a:.2f},{b:g}" for a, b in zip(t, values, strict=True)
        )
        where = self.upload(data.encode()).headers["location"]
        at = self.client.post(
            where, data=self.mapping(self.client.get(where).text), follow_redirects=False
        ).headers["location"]
        points = self.client.get(f"/api/v1{at}/points?channel=egr_position&most=800").json()["channels"][
            "egr_position"
        ]
        self.assertLessEqual(len(points["t"]), 800)
        self.assertEqual(max(points["v"]), 88.0)
        self.assertEqual(self.client.get(f"/api/v1{at}/points?channel=bogus").status_code, 404)
        self.assertEqual(
            self.client.get("/api/v1/jobs/case/traces").json()[0]["channels"][0]["samples"], 200_000
        )

    def test_a_stretch_is_marked_and_taken_out_as_csv_and_mdf(self):
        at = self.brought_in("healthy")
        self.client.post(
            at + "/stretch", data={"name": "first way up", "start": "4", "end": "30,5", "entry_id": "st-1"}
        )
        self.assertEqual(self.workshop.tapes.job("case").job.tape[-1].data.end_s, 30.5)
        self.assertIn("first way up", self.client.get(at).text)
        self.assertIn(
            "the end comes after the start",
            self.client.post(at + "/stretch", data={"name": "x", "start": "9", "end": "3"}).text,
        )
        for kind in ("csv", "mf4"):
            out = read_recording(self.client.get(f"{at}/export?format={kind}&start=4&end=30.5").content)
            self.assertEqual({c.name for c in out.columns}, {"egr_command", "egr_position"})
            self.assertLessEqual(max(float(np.nanmax(x)) for x in out.times_s.values()), 26.6)

    def test_two_recordings_are_laid_over_each_other_at_an_event(self):
        first, second = self.brought_in("healthy"), self.brought_in("dead_spot")
        page = self.client.get(f"{second}?with={first.rsplit('/', 1)[1]}&event=egr_command&level=50").text
        shift = float(re.search(r'data-shift="([^"]+)"', page)[1])
        signals = [
            self.workshop.recordings.signals("case", at.rsplit("/", 1)[1])["egr_command"]
            for at in (second, first)
        ]
        crossing = [float(s.times_s[np.flatnonzero(s.values >= 50)[0]]) for s in signals]
        self.assertAlmostEqual(shift, crossing[0] - crossing[1], delta=0.2)
        self.assertIn(
            "nothing to align at",
            self.client.get(f"{second}?with={first.rsplit('/', 1)[1]}&event=egr_command&level=900").text,
        )

    def test_a_recording_in_the_job_file_itself_is_judged(self):
        r = sweep()
        columns = {
            "time": r.actual.times_s.tolist(),
            "cmd": r.command.values.tolist(),
            "pos": r.actual.values.tolist(),
        }
        raw = job_file(
            entry(
                "trace",
                test="actuator_sweep",
                channels={"cmd": "egr_command", "pos": "egr_position"},
                columns=columns,
            ),
            engine=MODERN,
            job_id="inplace",
        )
        self.workshop.tapes.import_file(json.dumps(raw).encode())
        v = self.workshop.tapes.job("inplace").assessed.now[0]
        self.assertEqual(
            (v.test, v.where["node"], v.judgement.cls), ("actuator_sweep", "egr_valve", "dead_spot")
        )

    def test_kept_arrays_come_back_as_they_were(self):
        rng = np.random.default_rng(1)
        t = np.sort(rng.uniform(0, 100, 5000))
        back = unpacked(
            packed(
                {
                    "a": Signal(t, rng.normal(0, 1, 5000)),
                    "b": Signal(t, np.arange(5000.0)),
                    "c": Signal(t[:7], t[:7]),
                }
            )
        )
        self.assertEqual(list(back), ["a", "b", "c"])
        self.assertTrue(
            np.array_equal(back["b"].values, np.arange(5000.0)) and np.array_equal(back["c"].times_s, t[:7])
        )
        self.assertEqual(self.client.get("/jobs/case/traces/nope").status_code, 404)
