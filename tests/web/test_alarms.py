"""Alarms: what rang and what runs, listed over all jobs; one press ends one and goes on."""

import json
import unittest
from datetime import timedelta
from uuid import uuid4

from frosty_piston.store.timestamps import now, stamp
from frosty_piston.web.workshop.alarms import alarms
from tests.cases import entry, job_file, symptom
from tests.job.test_next_step import PICKED, SURE, YES
from tests.web.test_api import WithClient


def wait(kind, minutes, what):
    until = {"until": stamp(now() + timedelta(minutes=minutes))} if minutes is not None else {}
    return entry("wait", wait=kind, what=what, **until)


class Alarms(WithClient):
    def setUp(self):
        super().setUp()
        for job_id, entries in (
            (
                "plugs",
                [*SURE, PICKED, YES, wait("soak", -5, "oil on the threads"), wait("parts", None, "plugs")],
            ),
            ("weak", [symptom("no_start"), entry("code_scan"), wait("cold_soak", 200, "nobody starts it")]),
            ("done", [symptom("no_start"), wait("soak", -9, "of old"), entry("handover", to="Owner")]),
        ):
            self.workshop.tapes.import_file(json.dumps(job_file(*entries, job_id=job_id)).encode())

    def over(self, wait_id, job="plugs", **more):
        sent = {"entry_id": str(uuid4()), "wait_id": wait_id, **more}
        return self.client.post(f"/jobs/{job}/over", data=sent)

    def rang(self):
        return [a for a in alarms(self.workshop, now()) if a.over]

    def test_all_waits_of_open_jobs_what_rang_first(self):
        found = alarms(self.workshop, now())
        self.assertEqual(
            [(a.job, a.over) for a in found], [("plugs", True), ("weak", False), ("plugs", False)]
        )
        self.assertEqual(found[0].says, "Van: let it soak, oil on the threads")
        page = self.client.get("/alarms").text
        for says in ("oil on the threads", "nobody starts it", "no date"):
            self.assertIn(says, page)
        bar = self.client.get("/alarms/bar").text
        self.assertEqual((bar.count("data-wait="), bar.count(" hidden>")), (2, 1))

    def test_one_press_says_what_was_seen_and_goes_on_with_the_next_step(self):
        wait_id = self.rang()[0].id
        answer = self.over(wait_id, seen="oil crept in")
        self.assertEqual(answer.status_code, 303)
        ended = self.workshop.tapes.job("plugs").job.live[-1].data
        self.assertEqual((ended.state, ended.ends, ended.seen), ("ended", wait_id, "oil crept in"))
        self.assertEqual(self.rang(), [])
        parts = [a.id for a in alarms(self.workshop, now()) if a.job == "plugs"][0]
        self.assertEqual(self.over(parts).headers["location"], "/jobs/plugs/fit#step-warm_engine")
        self.assertEqual(self.workshop.tapes.job("plugs").job.live[-1].data.seen, "as expected")

    def test_ended_on_two_devices_it_is_ended_once(self):
        wait_id = self.rang()[0].id
        key = str(uuid4())
        for _ in range(2):
            self.assertEqual(self.over(wait_id, entry_id=key).status_code, 303)
        late = self.over(wait_id)
        self.assertEqual(late.status_code, 409)
        self.assertIn("ended already, here or on another device", late.text)

    def test_what_cannot_be_kept_stays_typed(self):
        wait_id = self.rang()[0].id
        answer = self.over(wait_id, seen="x" * 401)
        self.assertEqual(answer.status_code, 422)
        self.assertIn("at most 400 are kept", answer.text)
        self.assertIn("x" * 401, answer.text)


if __name__ == "__main__":
    unittest.main()
