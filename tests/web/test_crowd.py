"""Many at once, and what is sent to hurt: nobody's page waits for another's sign-in, upload or import, and
nobody can lock another out."""

import io
import threading
import time
import unittest
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from pathlib import Path
from unittest import mock

from PIL import Image

from frosty_piston.core.errors import BadInput, Busy
from frosty_piston.formats import picture
from frosty_piston.formats.child_process import Readers
from frosty_piston.store.people import COMMON, People, is_common, passphrase_faults
from frosty_piston.store.tapes import Tapes
from frosty_piston.web.frame import authentication
from frosty_piston.web.frame.address import Address
from frosty_piston.web.frame.app import create_app
from frosty_piston.web.frame.authentication import Tries
from tests.cases import job_file
from tests.web import test_api
from tests.web.test_forms import WithJob
from tests.web.test_people import WORDS, WithPeople

TLS = Path(__file__).parents[1] / "tls"
PLUS_7 = b'--x\r\nContent-Disposition: form-data; name="text"\r\n\r\nhi+AGE-\r\n--x--\r\n'
FORM = {"content-type": "application/x-www-form-urlencoded"}


class Clock:
    def __init__(self):
        self.now = 1000.0

    def __call__(self):
        return self.now


class Waiting(unittest.TestCase):
    """How long a wrong passphrase waits, for whom and where."""

    def setUp(self):
        self.clock = Clock()
        self.tries = Tries(self.clock)

    def wrong(self, times, name="Odd", address="a"):
        return [self.tries.begin(name, address) for _ in range(times)]

    def test_a_few_are_free_and_each_further_one_waits_twice_as_long(self):
        self.assertEqual(self.wrong(authentication.FREE_TRIES), [0.0] * authentication.FREE_TRIES)
        for wanted in (5, 10, 20, 40, 80, 160, 320, 640, 900, 900):
            self.assertEqual(self.tries.begin("Odd", "a"), wanted)
            self.clock.now += wanted
            self.assertEqual(self.tries.begin("Odd", "a"), 0.0)

    def test_a_try_counts_when_it_begins_and_is_given_back_when_it_was_right(self):
        self.assertEqual(
            self.wrong(authentication.FREE_TRIES), [0.0] * authentication.FREE_TRIES
        )  # all at once, none is judged yet
        self.assertGreater(self.tries.begin("Odd", "a"), 0)
        self.tries.right("odd ", "a")
        self.assertEqual(self.wrong(authentication.FREE_TRIES), [0.0] * authentication.FREE_TRIES)

    def test_nobody_locks_another_out(self):
        self.wrong(authentication.FREE_TRIES + 1)
        self.assertEqual(self.tries.begin("Odd", "b"), 0.0)
        self.assertEqual(self.tries.begin("Ylva", "a"), 0.0)

    def test_a_name_waits_everywhere_after_fifty_in_an_hour_but_not_where_it_is_signed_in(self):
        for number in range(authentication.MOST_PER_HOUR):
            self.assertEqual(self.tries.begin("Odd", f"from {number}"), 0.0)
            self.clock.now += 1
        self.assertEqual(self.tries.begin("Odd", "new"), authentication.HOUR_S - authentication.MOST_PER_HOUR)
        self.assertEqual(self.tries.begin("Odd", "new", signed_in_there=True), 0.0)
        self.clock.now += authentication.HOUR_S
        self.assertEqual(self.tries.begin("Odd", "new"), 0.0)

    def test_what_was_not_looked_at_does_not_count(self):
        for _ in range(3 * authentication.MOST_PER_HOUR):
            self.assertEqual(self.tries.begin("Odd", "a"), 0.0)
            self.tries.not_tried("Odd", "a")

    def test_it_remembers_so_many_and_no_more(self):
        for number in range(authentication.MOST_NAMES + 50):
            self.tries.begin(f"n{number}", "a")
        self.assertEqual((len(self.tries._wrong), len(self.tries._of_name)), (authentication.MOST_NAMES,) * 2)


class Passphrases(unittest.TestCase):
    def test_the_thousand_commonest_are_refused(self):
        lines = [x for x in COMMON.read_text("ascii").splitlines() if not x.startswith("#")]
        self.assertEqual((len(lines), len(set(lines))), (1000, 1000))
        for common in ("1234567890", "QwertyUiop", "password 123", "1q2w3e4r5t"):
            self.assertTrue(is_common(common), common)
            self.assertIn("commonest", passphrase_faults("Odd", common)[0].says)
        self.assertEqual(passphrase_faults("Odd", "heron kettle walnut ladder"), [])


class Crowd(WithPeople):
    @contextmanager
    def held(self, target, name):
        """While this lasts, what is patched waits until it is let go. Everything that began is counted."""
        go_on, begun, plain = threading.Event(), [], getattr(target, name)

        def held(*given, **named):
            begun.append(given)
            go_on.wait(30)
            return plain(*given, **named)

        with mock.patch.object(target, name, held):
            try:
                yield go_on, begun
            finally:
                go_on.set()

    def until(self, condition):
        end = time.monotonic() + 20
        while not condition():
            self.assertLess(time.monotonic(), end)

    def test_a_hundred_and_fifty_wrong_ones_at_once_hold_up_no_page(self):
        odd, answers = self.browser("Odd"), []

        def enter(number):
            wrong = {"name": f"somebody {number}", "passphrase": "not the right one"}
            answers.append(self.client.post("/enter", data=wrong).status_code)

        with ThreadPoolExecutor(150) as crowd, self.held(People, "sign_in") as (go_on, begun):
            for number in range(150):
                crowd.submit(enter, number)
            self.until(lambda: len(answers) == 150 - 10)  # two are looked at, eight wait
            self.assertEqual((set(answers), len(begun)), ({429}, 2))
            self.assertEqual(odd.get("/jobs/case/narrow").status_code, 200)
            go_on.set()
        self.assertEqual((answers.count(422), answers.count(429)), (10, 140))

    def test_who_is_signed_in_at_an_address_is_not_kept_out_there(self):
        self.browser("Odd")
        tries = self.app.state.tries
        for number in range(authentication.MOST_PER_HOUR + 1):
            tries.begin("odd", f"elsewhere {number}")
        again = self.client.post("/enter", data={"name": "Odd", "passphrase": WORDS["Odd"]})
        self.assertEqual(again.status_code, 303)
        for number in range(authentication.MOST_PER_HOUR + 1):
            tries.begin("Sif", f"elsewhere {number}")
        out = self.client.post("/enter", data={"name": "Sif", "passphrase": WORDS["Sif"]})
        self.assertEqual(out.status_code, 429)
        self.assertIn("too many wrong ones", out.text)

    def test_a_program_ends_with_the_passphrase_and_the_calendar_with_shutting_somebody_out(self):
        odd, ylva = self.browser("Odd"), self.browser("Ylva")
        page = odd.post("/me/programs", data={"program": "bench", "seal": self.seal(odd)}).text
        token = test_api.re.search(r"piston_[\w-]+", page)[0]
        bearer = {"authorization": f"Bearer {token}"}
        self.assertEqual(self.client.get("/api/v1/jobs/case", headers=bearer).status_code, 200)
        new = {"old": WORDS["Odd"], "passphrase": "badger lantern pebble", "seal": self.seal(odd)}
        self.assertEqual(odd.post("/me/passphrase", data=new).status_code, 303)
        self.assertEqual(self.client.get("/api/v1/jobs/case", headers=bearer).status_code, 401)
        ylva.post("/day/setup-feed", data={"seal": self.seal(ylva)})
        address = test_api.re.search(r'href="(/day/feed/[^"]+)"', ylva.get("/day").text)[1]
        self.assertEqual(self.client.get(address).status_code, 200)
        self.assertEqual(
            ylva.post("/people/shut_out", data={"name": "Sif", "seal": self.seal(ylva)}).status_code, 303
        )
        self.assertEqual(self.client.get(address).status_code, 404)

    def test_the_links_of_the_calendar_lead_where_it_was_made(self):
        ylva = self.browser("Ylva")
        ylva.post("/day/setup-feed", data={"seal": self.seal(ylva)})
        address = test_api.re.search(r'href="(/day/feed/[^"]+)"', ylva.get("/day").text)[1]
        shown = self.client.get(address, headers={"host": "evil.example"}).text
        self.assertNotIn("evil.example", shown)
        self.assertIn("URL:http://testserver/jobs/case", shown)

    def test_a_form_sent_to_the_api_is_said_to_be_one(self):
        odd = self.browser("Odd")
        sealed = {"x-seal": self.seal(odd)}
        for body, headers in (
            (b"a=1&b=2", FORM),
            (PLUS_7, {"content-type": "multipart/form-data; boundary=x"}),
        ):
            for seal in ({}, sealed):
                answer = odd.post("/api/v1/jobs/case/entries", content=body, headers={**headers, **seal})
                self.assertEqual(answer.status_code, 422 if seal else 403, answer.text)
        self.assertIn("send JSON", answer.json()["error"])

    def test_who_has_not_signed_in_sends_little(self):
        long = {"name": "Odd", "passphrase": "x" * 70_000}
        self.assertEqual(self.client.post("/enter", data=long).status_code, 413)


class Uploads(WithJob):
    def test_a_full_queue_says_so_and_pages_go_on(self):
        pools = self.client.app.state.pools
        held, go_on = threading.Semaphore(0), threading.Event()

        def wait():
            held.release()
            go_on.wait(30)

        for pool in (pools.uploads, pools.imports):
            places = 0
            while pool._places.acquire(blocking=False):
                future = pool._executor.submit(wait)
                future.add_done_callback(lambda _, pool=pool: pool._places.release())
                places += 1
            self.assertGreater(places, 20)
        try:
            sent = self.client.post("/jobs/case/pictures", files={"file": ("a.jpg", b"x")})
            self.assertEqual(sent.status_code, 503)
            self.assertIn("Too many files are coming in", sent.text)
            sent = self.client.post("/jobs/case/traces", files={"file": ("a.csv", b"x")})
            self.assertEqual((sent.status_code, sent.headers["retry-after"]), (503, "5"))
            sent = self.client.post("/api/v1/jobs", json=job_file(job_id="b"))
            self.assertEqual(sent.status_code, 503)
            self.assertIn("Too many jobs are being imported", sent.json()["error"])
            self.assertEqual(self.client.get("/jobs/case/pictures").status_code, 200)
        finally:
            go_on.set()
        self.assertTrue(pools.imports._places.acquire(timeout=30))
        pools.imports._places.release()
        self.assertEqual(self.client.post("/api/v1/jobs", json=job_file(job_id="b")).status_code, 201)

    def test_readers_of_files_take_so_many_and_say_when_it_is_too_many(self):
        go_on, begun = threading.Event(), []

        class Slow:
            alive, spent = True, False

            def read(self, data):
                begun.append(data)
                go_on.wait(30)
                return data

            def end(self):
                pass

        kind = mock.Mock(most_bytes=100)
        readers = Readers(kind, start=Slow)
        with (
            mock.patch("frosty_piston.formats.child_process.MOST_WAITING", 12),
            ThreadPoolExecutor(14) as crowd,
        ):
            reading = [crowd.submit(readers.read, b"x") for _ in range(14)]
            end = time.monotonic() + 20
            while readers._queue._value > 0:
                self.assertLess(time.monotonic(), end)
            with self.assertRaisesRegex(Busy, "Too many files"):
                readers.read(b"x")
            go_on.set()
            self.assertEqual([future.result() for future in reading], [b"x"] * 14)
        self.assertEqual(readers.read(b"y"), b"y")

    def test_a_picture_that_is_too_large_says_so(self):
        out = io.BytesIO()
        Image.new("1", (picture.MOST_PIXELS // 8000 + 1, 8000)).save(out, "PNG")
        with self.assertRaisesRegex(BadInput, "more than 80 million points"):
            picture.clean(out.getvalue())
        with (
            mock.patch.object(picture, "_on_white", side_effect=MemoryError),
            self.assertRaisesRegex(BadInput, "more memory than there is"),
        ):
            Image.new("1", (20, 20)).save(out := io.BytesIO(), "PNG")
            picture.clean(out.getvalue())


class Sent(WithJob):
    def test_a_form_in_other_letters_is_said_wherever_it_is_sent(self):
        for charset in ("utf-7", "punycode", "undefined", "idna", "utf-16", "none-such", '"'):
            headers = {"content-type": f"multipart/form-data; boundary=x; charset={charset}"}
            for path in ("/jobs/case/tape/note", "/enter", "/who", "/jobs/case/pictures"):
                answer = self.client.post(path, content=PLUS_7, headers=headers)
                self.assertEqual(answer.status_code, 422, (charset, path))
                self.assertIn("UTF-8", answer.text)

    def test_a_number_that_no_database_holds_is_no_address(self):
        for path in ("/shelf/vehicles/{}", "/search/vehicle/{}", "/jobs/case/tape?part={}"):
            self.assertEqual(self.client.get(path.format(10**19)).status_code, 422, path)
        self.assertEqual(self.client.post(f"/shelf/patterns/{10**19}/end").status_code, 422)

    def test_a_step_of_one_letter(self):
        page = self.client.post("/jobs/case/resets/dosing_system/edit", data={"new_does": "x"})
        self.assertLess(page.status_code, 500)
        plan = next(iter(self.workshop.knowledge.reset_plans))
        page = self.client.post(f"/jobs/case/resets/{plan}/edit", data={"new_does": "x", "new_order": "1"})
        self.assertEqual(page.status_code, 422)
        self.assertIn("say what is done, in a few words", page.text)

    def test_a_busy_state_is_one_sentence_to_pages_and_programs(self):
        with mock.patch.object(Tapes, "job", side_effect=Busy("Still being worked out.")):
            page, program = (
                self.client.get(f"{root}/jobs/case{end}")
                for root, end in (("", "/fit"), ("/api/v1", "/assessment"))
            )
        self.assertEqual((page.status_code, program.status_code), (503, 503))
        self.assertIn("Still being worked out.", page.text)
        self.assertEqual(program.json()["error"], "Still being worked out.")


class Strict(test_api.WithClient):
    def test_browsers_are_told_to_come_encrypted_only_where_they_trust_the_certificate(self):
        self.assertFalse(Address("0.0.0.0", 1, TLS / "cert.pem", TLS / "key.pem").is_trusted)
        trusting = mock.patch.dict("os.environ", {"SSL_CERT_FILE": str(TLS / "cert.pem")})
        with trusting:
            self.assertTrue(Address("0.0.0.0", 1, TLS / "cert.pem", TLS / "key.pem").is_trusted)
        self.assertFalse(Address().is_trusted)
        for strict in (True, False):
            client = test_api.Reader(create_app(self.workshop, True, strict_transport=strict))
            self.assertEqual("strict-transport-security" in client.get("/enter").headers, strict)


class Huge(WithJob):
    def test_the_tape_comes_in_parts_and_an_entry_is_found_on_its_own(self):
        notes = [{"id": f"n{n}", "kind": "note", "data": {"text": f"note {n}"}} for n in range(450)]
        self.workshop.tapes.write("case", notes)
        first = self.client.get("/jobs/case/tape").text
        self.assertTrue(">note 449<" in first)
        self.assertFalse(">note 249<" in first)
        self.assertIn("Entries 1 to 200 of 459, the newest first.", first)
        self.assertNotIn(">Newer<", first)
        second = self.client.get("/jobs/case/tape?part=1").text
        self.assertIn(">note 249<", second)
        self.assertTrue(">Newer<" in second and ">Older<" in second)
        self.assertNotIn(">Older<", self.client.get("/jobs/case/tape?part=2").text)
        self.assertIn(">note 10<", self.client.get("/jobs/case/tape?entry=n10").text)
        self.assertIn(">note 10<", self.client.get("/jobs/case/tape/n10").text)

    def test_papers_print_the_newest_and_say_where_the_rest_is(self):
        notes = [{"id": f"n{n}", "kind": "note", "data": {"text": f"note {n}."}} for n in range(40)]
        self.workshop.tapes.write("case", notes)
        with mock.patch("frosty_piston.web.job.report.MOST_PRINTED", 20):
            for path in ("report", "papers/record"):
                page = self.client.get(f"/jobs/case/{path}").text
                self.assertIn("Tape: the newest 20 of 49 entries; all of it is in the job file", page)
                self.assertNotIn("note 19.", page.split("Tape: the newest")[1])


if __name__ == "__main__":
    unittest.main()
