"""People who sign in: who gets in, what each right holds, and whose name stands on the tape."""

import json
import re
import unittest
from datetime import timedelta
from unittest import mock
from uuid import uuid4

from frosty_piston.store import people as kept_people
from frosty_piston.store.rights import ACTS, ORDER, may, right_for
from frosty_piston.web.frame import authentication
from frosty_piston.web.frame.app import create_app
from tests.cases import entry, job_file, symptom
from tests.web import test_api

WORDS = {"Ylva": "four words of a lead", "Odd": "another four for work", "Sif": "and some more to look"}


class WithPeople(test_api.WithClient):
    """A workshop where people sign in: a lead, one who works, one who looks."""

    def setUp(self):
        super().setUp()
        for name, right in zip(WORDS, ("lead", "work", "look"), strict=True):
            self.workshop.people.set_passphrase(name, WORDS[name], right)
        self.workshop.tapes.import_file(json.dumps(job_file(symptom("no_start"))).encode())
        self.app = create_app(self.workshop, signing_in=True)
        self.client = self.browser()

    def browser(self, name=None):
        client = test_api.Reader(self.app, raise_server_exceptions=False, follow_redirects=False)
        if name:
            answer = client.post("/enter", data={"name": name, "passphrase": WORDS[name], "back": "/shelf"})
            self.assertEqual((answer.status_code, answer.headers["location"]), (303, "/shelf"))
        return client

    def seal(self, client):
        return re.search(r'data-seal="(\w+)"', client.get("/").text)[1]

    def note(self, client, **more):
        sent = {"entry_id": str(uuid4()), "text": "rattles", "seal": self.seal(client), **more}
        return client.post("/jobs/case/tape/note", data=sent)


class Signing(WithPeople):
    def test_who_works_may_pin_and_who_leads_says_who_is_there(self):
        self.workshop.settings.save("day_feed", {"token": "secret"})
        self.assertEqual(self.client.get("/day").status_code, 303)
        self.assertEqual(self.client.get("/day/feed/secret.ics").status_code, 200)
        work, lead = self.browser("Odd"), self.browser("Ylva")
        for client, path, status in (
            (work, "/day/do/put", 303),
            (work, "/day/setup/tools", 403),
            (work, "/day/setup-feed", 403),
            (lead, "/day/setup/tools", 303),
        ):
            data = {"job": "case", "on": "no", "seal": self.seal(client)}
            self.assertEqual(client.post(path, data=data).status_code, status, path)

    def test_only_a_lead_lets_own_jobs_move_odds(self):
        for name, status in (("Odd", 403), ("Ylva", 303)):
            client = self.browser(name)
            data = {"on": "yes", "seal": self.seal(client)}
            self.assertEqual(client.post("/shelf/own/switch", data=data).status_code, status)

    def test_nobody_gets_in_without_signing_in(self):
        for path in ("/", "/jobs/case/tape", "/shelf", "/people", "/me"):
            answer = self.client.get(path)
            self.assertEqual(answer.status_code, 303)
            self.assertTrue(answer.headers["location"].startswith("/enter?back="))
        self.assertEqual(self.client.get("/jobs/case/tape", headers={"HX-Request": "true"}).status_code, 401)
        for path in ("/api/v1/jobs/case", "/api/v1/openapi.json", "/api/v1/schema/job"):
            self.assertEqual(self.client.get(path).status_code, 401)
        self.assertEqual(self.client.post("/jobs/case/tape/note", data={"text": "x"}).status_code, 401)
        for path in ("/enter", "/worker.js", "/alive", "/static/css/frost.css"):
            self.assertEqual(self.client.get(path).status_code, 200)
        forged = {
            "cookie": f"{authentication.COOKIE}=nothing; piston_who=Ylva",
            "authorization": "Basic eA==",
        }
        self.assertEqual(self.client.get("/", headers=forged).status_code, 303)

    def test_the_name_comes_from_the_session_and_no_other_is_taken(self):
        odd = self.browser("Odd")
        self.assertEqual(self.note(odd).status_code, 303)
        self.assertEqual(self.workshop.tapes.job("case").job.tape[-1].by, "Odd")
        self.assertEqual(self.note(odd, pressed_by="Ylva").status_code, 403)
        self.assertEqual(odd.post("/who", data={"who": "Ylva", "seal": self.seal(odd)}).status_code, 403)
        kept = {"pressed_by": "Odd", "pressed_at": "2026-11-20T08:00:00Z"}
        self.assertEqual(self.note(odd, **kept).status_code, 303)
        last = self.workshop.tapes.job("case").job.tape[-1]
        self.assertEqual((last.by, last.at.isoformat()), ("Odd", "2026-11-20T08:00:00+00:00"))

    def test_a_form_without_the_seal_of_its_session_is_refused(self):
        odd, ylva = self.browser("Odd"), self.browser("Ylva")
        before = len(self.workshop.tapes.job("case").job.tape)
        for seal in ("", "0" * 32, self.seal(ylva)):
            self.assertEqual(self.note(odd, seal=seal).status_code, 403)
        body = {"id": "n", **entry("note", text="x")}
        self.assertEqual(odd.post("/api/v1/jobs/case/entries", json=body).status_code, 403)
        sealed = {"x-seal": self.seal(odd)}
        self.assertEqual(odd.post("/api/v1/jobs/case/entries", json=body, headers=sealed).status_code, 201)
        self.assertEqual(len(self.workshop.tapes.job("case").job.tape), before + 1)
        for path in (
            "/",
            "/jobs/case/tape",
            "/jobs/case/arrive",
            "/jobs/case/vehicle",
            "/jobs/case/measure/battery",
            "/me",
        ):
            page = odd.get(path).text
            self.assertEqual(page.count('method="post"'), page.count('name="seal"'), path)
        self.assertNotIn(
            "seal", test_api.Reader(create_app(self.workshop)).get("/").text.split("<main")[0].lower()
        )

    def test_what_a_browser_says_of_another_site_is_believed(self):
        odd = self.browser("Odd")
        sent = {"text": "x", "seal": self.seal(odd)}
        for headers in (
            {"sec-fetch-site": "cross-site"},
            {"sec-fetch-site": "same-site"},
            {"origin": "http://x.test"},
        ):
            self.assertEqual(odd.post("/jobs/case/tape/note", data=sent, headers=headers).status_code, 403)
        same = {"sec-fetch-site": "same-origin", "origin": "http://testserver"}
        self.assertEqual(odd.post("/jobs/case/tape/note", data=sent, headers=same).status_code, 303)

    def test_each_right_holds_its_acts(self):
        acts = [
            ("look", lambda c, s: c.post("/look", data={"look": "dusk", "seal": s})),
            ("work", lambda c, s: c.post("/jobs/case/tape/note", data={"text": "x", "seal": s})),
            ("work", lambda c, s: c.post("/jobs", data={"seal": s})),
            ("work", lambda c, s: c.post("/training/number", data={"number": "2", "seal": s})),
            ("lead", lambda c, s: c.post("/training/sets", data={"title": "x", "seal": s})),
            ("lead", lambda c, s: c.post("/training/sets/x/drop", data={"seal": s})),
            ("lead", lambda c, s: c.post("/shelf/codes", data={"seal": s})),
            ("lead", lambda c, s: c.post("/jobs/case/decide/rates", data={"rate": "800", "seal": s})),
            ("lead", lambda c, s: c.post("/people/right", data={"name": "Sif", "right": "look", "seal": s})),
            ("lead", lambda c, s: c.get("/people")),
            ("lead", lambda c, s: c.post("/api/v1/jobs", json=job_file(job_id="b"), headers={"x-seal": s})),
        ]
        for name, right in zip(WORDS, ("lead", "work", "look"), strict=True):
            client = self.browser(name)
            seal = self.seal(client)
            for needed, act in acts:
                refused = act(client, seal).status_code == 403
                self.assertEqual(refused, not may(right, needed), (name, needed, act))

    def test_an_exercise_is_its_own_persons_and_a_lead_may_take_it_away(self):
        odd, ylva = self.browser("Odd"), self.browser("Ylva")
        sealed = {"seal": self.seal(odd)}
        at = odd.post("/training/number", data={"number": "2", **sealed}).headers["location"]
        self.assertEqual(odd.post(f"{at}/act", data={"act": "scan", "seen": "0", **sealed}).status_code, 303)
        hers = {"seal": self.seal(ylva)}
        self.assertEqual(ylva.post(f"{at}/act", data={"act": "scan", "seen": "1", **hers}).status_code, 403)
        self.assertEqual(ylva.post(f"{at}/gone", data=hers).status_code, 303)
        self.assertEqual(odd.get(at).status_code, 404)

    def test_every_route_is_in_the_table(self):
        paths = create_app(self.workshop).openapi()["paths"]
        for path, methods in paths.items():
            address = re.sub(r"\{\w+\}", "x", path)
            for method in methods:
                if (method, path) == ("post", "/enter"):
                    continue
                needed = right_for(method.upper(), address)
                known = any(how == method.upper() and needed == right for how, _, right in ACTS)
                self.assertTrue(known or path == "/who", (method, path))
        self.assertEqual([right_for("DELETE", "/"), right_for("POST", "/new")], ["lead", "lead"])
        self.assertEqual(
            [may(a, b) for a in ORDER for b in ORDER],
            [True, False, False, True, True, False, True, True, True],
        )

    def test_what_a_lead_brings_in_is_marked(self):
        ylva = self.browser("Ylva")
        file = job_file({**entry("note", text="seen"), "by": "Somebody Else"}, job_id="b")
        self.assertEqual(
            ylva.post("/api/v1/jobs", json=file, headers={"x-seal": self.seal(ylva)}).status_code, 201
        )
        self.assertIn("Brought in from a file by Ylva", ylva.get("/jobs/b/report").text)
        self.assertNotIn("Brought in from a file", ylva.get("/jobs/case/report").text)

    def test_a_program_writes_under_the_name_of_its_person(self):
        odd = self.browser("Odd")
        page = odd.post("/me/programs", data={"program": "bench reader", "seal": self.seal(odd)}).text
        token = re.search(r"piston_[\w-]+", page)[0]
        self.assertNotIn(token, odd.get("/me").text)
        program, bearer = self.browser(), {"authorization": f"Bearer {token}"}
        sent = {"id": "n", **entry("note", text="x")}
        answer = program.post("/api/v1/jobs/case/entries", json=sent, headers=bearer)
        self.assertEqual(answer.status_code, 201)
        self.assertEqual(self.workshop.tapes.job("case").job.tape[-1].by, "Odd")
        other = program.post(
            "/api/v1/jobs/case/entries", json={**sent, "id": "m", "by": "Ylva"}, headers=bearer
        )
        self.assertEqual((other.status_code, other.json()["faults"][0]["path"]), (422, "entries[0].by"))
        self.assertEqual(
            program.post("/api/v1/jobs", json=job_file(job_id="c"), headers=bearer).status_code, 403
        )
        odd.post("/me/programs", data={"end": "bench reader", "seal": self.seal(odd)})
        self.assertEqual(program.get("/api/v1/jobs/case", headers=bearer).status_code, 401)

    def test_wrong_passphrases_have_to_wait_longer_and_longer(self):
        wrong = {"name": "Odd", "passphrase": "not the right one"}
        answers = [
            self.client.post("/enter", data=wrong).status_code for _ in range(authentication.FREE_TRIES + 1)
        ]
        self.assertEqual(answers, [422] * authentication.FREE_TRIES + [429])
        right = self.client.post("/enter", data={"name": "Odd", "passphrase": WORDS["Odd"]})
        self.assertEqual(right.status_code, 429)
        self.assertGreaterEqual(int(right.headers["retry-after"]), 1)
        self.assertIn("too many wrong ones", right.text)

    def test_who_is_not_there_is_answered_like_who_is(self):
        for name in ("Odd", "Nobody"):
            page = self.client.post("/enter", data={"name": name, "passphrase": "wrong wrong wrong"})
            self.assertIn("name and passphrase do not belong together", page.text)
            self.assertNotIn("wrong wrong", page.text)

    def test_a_session_ends_when_it_is_left_lies_idle_or_the_passphrase_changes(self):
        odd = self.browser("Odd")
        answer = odd.post("/leave", data={"seal": self.seal(odd)})
        self.assertEqual((answer.status_code, odd.get("/").status_code), (303, 303))
        odd = self.browser("Odd")
        for later, status in (
            (kept_people.IDLE - timedelta(hours=1), 200),
            (kept_people.LONGEST + timedelta(1), 303),
        ):
            at = kept_people.now() + later
            with mock.patch.object(kept_people, "now", return_value=at):
                self.assertEqual(odd.get("/shelf").status_code, status)
        odd = self.browser("Odd")
        sent = {"old": WORDS["Odd"], "passphrase": "four quite new ones", "seal": self.seal(odd)}
        self.assertEqual(odd.post("/me/passphrase", data={**sent, "old": "x"}).status_code, 422)
        self.assertEqual(odd.post("/me/passphrase", data={**sent, "passphrase": "short"}).status_code, 422)
        self.assertEqual(odd.post("/me/passphrase", data=sent).status_code, 303)
        self.assertEqual(odd.get("/shelf").status_code, 303)
        self.assertIsNone(self.workshop.people.sign_in("Odd", WORDS["Odd"]))
        self.assertIsNotNone(self.workshop.people.sign_in("Odd", "four quite new ones"))

    def test_a_lead_keeps_the_people_and_somebody_always_leads(self):
        ylva = self.browser("Ylva")
        seal = {"seal": self.seal(ylva)}
        new = {"name": "Tor", "passphrase": "words for the new one", "right": "work", **seal}
        self.assertEqual(
            ylva.post("/people/add", data={**new, "passphrase": "aaaaaaaaaaaa"}).status_code, 422
        )
        self.assertEqual([ylva.post("/people/add", data=new).status_code for _ in range(2)], [303, 422])
        self.assertIsNotNone(self.workshop.people.sign_in("Tor", new["passphrase"]))
        for path in ("right", "shut_out"):
            answer = ylva.post(f"/people/{path}", data={"name": "Ylva", "right": "work", **seal})
            self.assertEqual(answer.status_code, 422)
            self.assertIn("somebody has to lead", answer.text)
        self.assertEqual(
            ylva.post("/people/right", data={"name": "Tor", "right": "lead", **seal}).status_code, 303
        )
        self.assertEqual(ylva.post("/people/shut_out", data={"name": "Ylva", **seal}).status_code, 303)
        self.assertEqual(ylva.get("/").status_code, 303)
        self.assertEqual(ylva.get("/enter").text.count("Nobody can sign in here yet"), 0)

    def test_secrets_are_not_in_the_file(self):
        odd = self.browser("Odd")
        token = self.workshop.people.add_program("Odd", "reader")
        with self.workshop.engine.connect() as connection:
            kept = repr(
                [
                    connection.exec_driver_sql(f"SELECT * FROM {t}").all()
                    for t in ("people", "sessions", "tokens")
                ]
            )
        for secret in (*WORDS.values(), token, odd.cookies[authentication.COOKIE]):
            self.assertNotIn(secret, kept)
        self.assertIn("$argon2id$", kept)


class OnThisMachine(test_api.WithClient):
    def test_it_stays_as_easy_as_it_was(self):
        self.assertEqual(self.client.get("/").status_code, 200)
        self.assertEqual(self.client.post("/who", data={"who": "Odd"}).status_code, 303)
        for path in ("/people", "/me"):
            self.assertEqual(self.client.get(path).status_code, 404)


if __name__ == "__main__":
    unittest.main()
