"""The loop that answers everybody only passes on: it never thinks, hashes, reads a file or the database. And
the watchdog over it."""

import hashlib
import logging
import re
import sys
import threading
import time
import unittest
from contextlib import contextmanager
from pathlib import Path
from unittest import mock

from anyio import to_thread
from argon2 import PasswordHasher
from sqlalchemy import event

from frosty_piston.store.tapes import Tapes
from frosty_piston.web.frame import watchdog
from frosty_piston.web.frame.app import create_app
from frosty_piston.web.frame.watchdog import Watchdog
from tests.cases import entry, job_file, symptom
from tests.store.test_workshop import WithWorkshop
from tests.web import test_api

LINK = re.compile(r'(?:href|hx-get)="(/[^"#]*)')
WATCHED: dict = {"thread": None, "seen": None}


def _hook(name, args):
    """Files that are opened in the thread of the loop, but for code, which is loaded once.
    A hook of this kind can never be taken off again."""
    if name == "open" and WATCHED["thread"] == threading.get_ident():
        path = str(args[0])
        if not path.endswith((".py", ".pyc")):
            WATCHED["seen"].append(f"opened {path}")


sys.addaudithook(_hook)


class TrippedWires(WithWorkshop):
    @contextmanager
    def wires(self):
        """What happened in the thread of the loop while this lasts, each as a sentence."""
        seen = WATCHED["seen"] = []

        def wired(what, work):
            def tripped(*args, **kwargs):
                if threading.get_ident() == WATCHED["thread"]:
                    seen.append(what)
                return work(*args, **kwargs)

            return tripped

        def asked(connection, cursor, statement, *rest):
            if threading.get_ident() == WATCHED["thread"]:
                seen.append(f"asked the database: {statement[:60]}")

        event.listen(self.workshop.engine, "before_cursor_execute", asked)
        with (
            mock.patch.object(Tapes, "job", wired("thought", Tapes.job)),
            mock.patch.object(Tapes, "write", wired("wrote", Tapes.write)),
            mock.patch.object(hashlib, "sha256", wired("hashed", hashlib.sha256)),
            mock.patch.object(PasswordHasher, "verify", wired("hashed slowly", PasswordHasher.verify)),
            mock.patch.object(PasswordHasher, "hash", wired("hashed slowly", PasswordHasher.hash)),
        ):
            yield seen
        WATCHED["thread"] = None
        event.remove(self.workshop.engine, "before_cursor_execute", asked)

    def client(self, signing_in=False):
        """A client of an application that knows which thread its loop runs in."""
        app = create_app(self.workshop, signing_in)

        async def known(scope, receive, send):
            WATCHED["thread"] = threading.get_ident()
            await app(scope, receive, send)

        known.state = app.state
        return test_api.Reader(known, raise_server_exceptions=False, follow_redirects=False)

    def job(self):
        self.workshop.tapes.import_file(
            test_api.json.dumps(job_file(symptom("no_start"), entry("code", code="P0380"))).encode()
        )

    def test_no_page_nothing_sent_and_nothing_missing(self):
        self.job()
        with self.wires() as seen:
            client = self.client()
            pages, todo = set(), ["/", "/jobs/case/narrow", "/jobs/case/fit", "/day", "/shelf", "/pocket"]
            while todo and len(pages) < 160:
                path = todo.pop(0)
                pages.add(path)
                answer = client.get(path)
                self.assertLess(answer.status_code, 500, path)
                if answer.headers.get("content-type", "").startswith("text/html"):
                    fresh = {link.replace("&amp;", "&") for link in LINK.findall(answer.text)}
                    todo += sorted(link for link in fresh if link not in pages and link not in todo)
            for path in (
                "/jobs/case/nothing",
                "/jobs/case/why/nothing",
                "/jobs/none/fit",
                "/api/v1/jobs/none",
                "/shelf/vehicles/x",
            ):
                client.get(path)
            note = {"id": "n", **entry("note", text="x")}
            client.post("/api/v1/jobs/case/entries", json=note)
            client.post("/api/v1/jobs", json=job_file(job_id="other"))
            client.post("/api/v1/jobs", content=b"PK", headers={"content-type": "application/zip"})
            client.post("/jobs/case/tape/note", data={"text": "seen"})
            client.post("/jobs/case/traces", files={"file": ("a.csv", b"time,rpm\n0,1\n1,2\n")})
            client.post("/jobs/case/pictures", files={"file": ("a.jpg", b"no picture")})
            client.get("/jobs/case/report.pdf")
            with mock.patch.object(self.workshop.yard, "jobs", side_effect=ZeroDivisionError):
                self.assertEqual(client.get("/").status_code, 500)
        self.assertGreater(len(pages), 100)
        self.assertEqual(seen, [])

    def test_nor_where_people_sign_in(self):
        self.job()
        self.workshop.people.set_passphrase("Ylva", "heron kettle walnut ladder")
        with self.wires() as seen:
            client = self.client(signing_in=True)
            for path in ("/", "/api/v1/jobs/case", "/enter", "/nothing"):
                client.get(path)
            client.post("/enter", data={"name": "Ylva", "passphrase": "not the right one"})
            entered = client.post("/enter", data={"name": "Ylva", "passphrase": "heron kettle walnut ladder"})
            self.assertEqual(entered.status_code, 303)
            for path in ("/", "/people", "/me", "/jobs/case/narrow"):
                self.assertEqual(client.get(path).status_code, 200)
            seal = re.search(r'name="seal" value="(\w+)"', client.get("/people").text)[1]
            form = {"name": "Odd", "passphrase": "badger lantern pebble crane", "right": "work", "seal": seal}
            self.assertEqual(client.post("/people/add", data=form).status_code, 303)
        self.assertEqual(seen, [])

    def test_the_wires_trip(self):
        with self.wires() as seen:
            WATCHED["thread"] = threading.get_ident()
            with self.assertRaises(Exception):  # noqa: B017 - whatever it says
                self.workshop.tapes.job("none")
            hashlib.sha256(b"x")
            (Path(self.folder.name) / "workshop.db").open("rb").close()
            WATCHED["thread"] = None
        self.assertEqual(
            [what.split()[0] for what in seen], ["thought", "asked", "asked", "hashed", "opened"]
        )


class Watched(test_api.WithClient):
    def test_a_thought_that_hangs_is_logged_once_and_alive_says_so_and_recovers(self):
        app, ended, began = self.client.app, threading.Event(), threading.Event()
        quick = mock.patch.object(watchdog, "LOOKS_S", 0.02)

        def hangs(*_):
            began.set()
            ended.wait(30)
            raise ZeroDivisionError

        with (
            quick,
            test_api.Reader(app, raise_server_exceptions=False) as client,
            mock.patch.object(self.workshop.tapes, "job", hangs),
            self.assertLogs("frosty_piston.web", logging.ERROR) as logged,
        ):
            to_thread_limit = self.limit(client, 1)
            waiting = threading.Thread(target=client.get, args=("/jobs/case/narrow",))
            waiting.start()
            began.wait(20)
            app.state.watchdog.limit_s = 0.5
            self.until(lambda: client.get("/alive").text == "degraded")
            self.until(lambda: any("GET /jobs/case/narrow" in line for line in logged.output))
            time.sleep(0.1)  # it looks several times more
            ended.set()
            waiting.join(20)
            self.until(lambda: client.get("/alive").text == "yes")
        self.assertEqual(to_thread_limit, 1)
        late = [line for line in logged.output if "longer than" in line]
        self.assertEqual(len(late), 1)
        self.assertIn("in hangs", late[0])

    def limit(self, client, threads):
        """Leave the pool of the pages so many threads; how many it has."""

        async def set_limit():
            limiter = to_thread.current_default_thread_limiter()
            limiter.total_tokens = threads
            return limiter.total_tokens

        return client.portal.call(set_limit)

    def until(self, condition):
        end = time.monotonic() + 20
        while not condition():
            self.assertLess(time.monotonic(), end)

    def test_what_is_being_sent_is_not_late(self):
        watch = Watchdog(limit_s=10)
        with mock.patch.object(watchdog.time, "monotonic", side_effect=lambda: self.now):
            self.now = 0.0
            slow, upload, download = (watch.begins(name, f"GET /{name}") for name in "abc")
            self.now = 8.0
            watch.goes_on(upload)
            watch.answers(download)
            self.now = 10.5
            self.assertEqual(watch.late(), [slow])
            self.now = 19.0
            self.assertEqual(watch.late(), [slow, upload])
            watch.answers(slow)
            watch.answers(upload)
            self.assertEqual(watch.late(), [])


if __name__ == "__main__":
    unittest.main()
