"""Several people at once: nobody's page waits for another's for ever, and a state is worked out once."""

import json
import os
import random
import re
import subprocess
import sys
import tempfile
import threading
import time
import unittest
import urllib.error
import urllib.request
from pathlib import Path
from unittest import mock
from uuid import uuid4

from frosty_piston.core.cached import cached_property
from frosty_piston.core.errors import Busy
from frosty_piston.job.assessment import Assessed
from frosty_piston.job.weighing.suspicion import Suspicion
from frosty_piston.store.workshop import open_workshop
from tests.cases import symptom
from tests.made import demo_into
from tests.store.test_workshop import WithWorkshop

ROOT = Path(__file__).parents[2]
CLIENTS, LONGEST_S = 8, 40.0
PLAYED_S = 60.0 if os.environ.get("PISTON_LONG") else 20.0
SYMPTOMS = ("hard_start_cold", "rough_idle_cold", "limp_mode")
PAGES = (
    *("/jobs/{}/fit",) * 4,  # it looks ahead, which asks for the odds of an earlier time
    "/jobs/{}/narrow",
    "/jobs/{}/prove",
    "/jobs/{}/no-such-page",
    "/jobs/{}/why/no-such-fault",
    "/day/strip",
)


class Together(unittest.TestCase):
    def test_eight_clients_on_ordinary_pages_at_once(self):
        with tempfile.TemporaryDirectory() as folder:
            demo_into(folder)
            command = [sys.executable, "-m", "frosty_piston", "serve", "--port", "0", "--data", folder]
            server = subprocess.Popen(
                command,
                cwd=ROOT,
                stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL,
                env={**os.environ, "PYTHONUNBUFFERED": "1"},
            )
            try:
                address = server.stdout.readline().decode().split()[-1]
                wrong, answered = self.played(address)
            finally:
                server.kill()
                server.wait()
                server.stdout.close()
        self.assertEqual(wrong, [])
        self.assertGreater(answered, 100)

    def played(self, address):
        """What went wrong, and how many pages were answered."""
        jobs = sorted(set(re.findall(rb"/jobs/([a-z0-9-]+)/", self.asked(address, "/"))))
        until, wrong, answered = time.monotonic() + PLAYED_S, [], []

        def play(number):
            drawn, turn = random.Random(number), 0
            while time.monotonic() < until and not wrong:
                job, page, turn = drawn.choice(jobs).decode(), drawn.choice(PAGES), turn + 1
                try:
                    if turn % 6 == 0:
                        said = {"id": str(uuid4()), **symptom(SYMPTOMS[turn % len(SYMPTOMS)], turn % 3 != 0)}
                        self.asked(address, f"/api/v1/jobs/{job}/entries", said)
                    if turn % 25 == 0:  # another set of tools, and all jobs are worked out again
                        tools = "tool=meter&tool=scan&" if turn % 50 else ""
                        self.asked(address, f"/jobs/{job}/narrow/tools", f"{tools}key={uuid4()}".encode())
                    self.asked(address, page.format(job))
                    answered.append(page)
                except urllib.error.HTTPError as error:
                    error.close()
                    if error.code != 404:
                        wrong.append((page, error.code))
                except OSError as error:
                    wrong.append((page, repr(error)))

        threads = [threading.Thread(target=play, args=(number,)) for number in range(CLIENTS)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(PLAYED_S + 2 * LONGEST_S)
        return wrong, len(answered)

    def asked(self, address, path, data=None):
        body = data if data is None or isinstance(data, bytes) else json.dumps(data).encode()
        form = "application/x-www-form-urlencoded"
        kind = form if isinstance(data, bytes) else "application/json"
        request = urllib.request.Request(address + path, body, {"Content-Type": kind})
        with urllib.request.urlopen(request, timeout=LONGEST_S) as answer:
            read = answer.read()
            return json.loads(read) if path.startswith("/api/") else read


class TwoThreadsInTwoOrders(unittest.TestCase):
    """Two threads that each hold one property and ask for the other's, of objects of one class."""

    def met(self, one, other):
        """Whether both threads come to their end."""
        threads = [threading.Thread(target=ask, daemon=True) for ask in (one, other)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(5)
        return not any(thread.is_alive() for thread in threads)

    def test_a_property_has_no_lock_that_other_objects_share(self):
        barrier = threading.Barrier(2, timeout=3)

        class State:
            other = None

            @cached_property
            def weighed(self):
                if self.other:
                    barrier.wait()
                    return self.other.walked
                return 1

            @cached_property
            def walked(self):
                if self.other:
                    barrier.wait()
                    return self.other.weighed
                return 2

        one, two = State(), State()
        one.other, two.other = State(), State()
        self.assertTrue(self.met(lambda: one.weighed, lambda: two.walked))
        self.assertEqual((one.weighed, two.walked), (2, 1))

    def test_the_odds_of_two_times_asked_for_in_two_orders(self):
        """As Fit and Narrow do: the odds, then how they came about; and, of a later time, the reverse."""
        barrier, orders = threading.Barrier(2, timeout=3), {}
        weighed, walked = Suspicion.weighed._method, Suspicion._walked._method

        def meeting(name, method):
            def asked(suspicion):
                if orders.get(threading.get_ident()) == name:
                    orders[threading.get_ident()] = "met"
                    barrier.wait()
                return method(suspicion)

            return asked

        def ask(name, suspicion):
            orders[threading.get_ident()] = name
            getattr(suspicion, name)

        with (
            WithAssessed() as (early, late),
            mock.patch.object(Suspicion.weighed, "_method", meeting("weighed", weighed)),
            mock.patch.object(Suspicion._walked, "_method", meeting("_walked", walked)),
        ):
            met = self.met(lambda: ask("weighed", early), lambda: ask("_walked", late))
        self.assertTrue(met, "both wait for each other")


class WithAssessed:
    """Two states of one job: before a repair, and the time after it."""

    def __enter__(self):
        self.folder = tempfile.TemporaryDirectory()
        with open_workshop(demo_into(self.folder.name)) as workshop:
            ids = [row.id for closed in (False, True) for row in workshop.yard.jobs(closed)]
            repaired = next(
                record for record in map(workshop.tapes.job, ids) if len(record.assessed.course) > 1
            )
            early = Assessed(repaired.job, workshop.knowledge).course[0]
            late = Assessed(repaired.job, workshop.knowledge).course[-1]
        return early, late

    def __exit__(self, *_):
        self.folder.cleanup()


class WorkedOutOnce(WithWorkshop):
    def test_eight_that_ask_at_once_share_one_state(self):
        self.add()
        self.workshop.tapes.forget()
        made, barrier, records = [], threading.Barrier(8), []
        plain = self.workshop.tapes._record

        def counted(*args):
            made.append(args)
            return plain(*args)

        def ask():
            barrier.wait()
            records.append(self.workshop.tapes.job("case"))

        with mock.patch.object(self.workshop.tapes, "_record", counted):
            threads = [threading.Thread(target=ask) for _ in range(8)]
            for thread in threads:
                thread.start()
            for thread in threads:
                thread.join(20)
        self.assertEqual(len(made), 1)
        self.assertEqual(len({id(record) for record in records}), 1)

    def test_who_waits_too_long_is_told(self):
        self.add()
        self.workshop.tapes.forget()
        tapes = self.workshop.tapes
        soon = mock.patch("frosty_piston.store.tapes.WRITE_TIMEOUT_S", 0.02)
        with soon, tapes._thinking.of("case").hold(1, "busy"), self.assertRaisesRegex(Busy, "worked out"):
            tapes.job("case")
        self.assertEqual(tapes.job("case").job.id, "case")

    def test_a_view_is_made_once_and_one_that_hangs_holds_nobody_for_ever(self):
        self.add()
        record, hangs, ended = self.workshop.tapes.job("case"), threading.Event(), threading.Event()

        def slow():
            hangs.set()
            ended.wait(20)
            return 1

        thread = threading.Thread(target=lambda: record.view("slow", slow))
        thread.start()
        hangs.wait(20)
        with (
            mock.patch("frosty_piston.store.tapes.WRITE_TIMEOUT_S", 0.02),
            self.assertRaisesRegex(Busy, "worked out"),
        ):
            record.view("other", lambda: 2)
        ended.set()
        thread.join(20)
        self.assertEqual((record.view("slow", lambda: 3), record.view("other", lambda: 2)), (1, 2))


if __name__ == "__main__":
    unittest.main()
