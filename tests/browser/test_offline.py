"""The server goes away and comes back: nothing is lost or written twice, and the bar says what waits."""

import tempfile
import threading
import unittest
from unittest import mock

import uvicorn

from frosty_piston.core.errors import NoSpace
from frosty_piston.job.entries import Note, Reading, Tick
from frosty_piston.store.database import open_database
from frosty_piston.store.workshop import Workshop
from frosty_piston.web.frame.app import create_app
from frosty_piston.web.frame.serving import free_port
from tests.made import demo_into

from . import pages


class Away(pages.BrowserTest):
    """A server of its own, which can be taken away."""

    signing_in = False

    def setUp(self):
        super().setUp()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.workshop = Workshop(open_database(demo_into(folder.name)))
        self.addCleanup(self.workshop.close)
        self.server, self.port = None, 0
        self.here()
        self.addCleanup(self.leave)
        self.base = f"http://127.0.0.1:{self.port}"
        self.arrive()
        self.page.evaluate("navigator.serviceWorker.ready")
        self.until("navigator.serviceWorker.controller !== null")
        self.until(f"caches.match('{self.base}/').then((page) => Boolean(page))")

    def arrive(self):
        self.go("/")

    def here(self):
        taken = free_port(self.port)
        self.port = taken.getsockname()[1]
        config = uvicorn.Config(
            create_app(self.workshop, self.signing_in), log_level="critical", access_log=False
        )
        self.server = uvicorn.Server(config)
        self.running = threading.Thread(target=self.server.run, kwargs={"sockets": [taken]}, daemon=True)
        self.running.start()

    def away(self):
        if self.server:
            self.server.should_exit = self.server.force_exit = True
            self.running.join(15)
            self.server = None

    def leave(self):
        """Nobody asks any more, and what was asked is answered, before the folder goes."""
        self.context.close()
        if self.server:
            self.server.should_exit = True
            self.running.join(20)
            self.assertFalse(self.running.is_alive())

    def notes(self, job):
        return [x.data.text for x in self.workshop.tapes.job(job).job.of(Note)]


class Comings(Away):
    def test_two_notes_in_one_form_are_two_notes_in_order_with_who_and_when(self):
        self.go("/jobs/demo-patrol/tape")
        self.away()
        for text in ("first the one", "then the other"):
            self.page.get_by_label("Note").fill(text)
            self.press("Write", "#form-note")
            self.sees("Kept here, will send: Note: " + text, "#form-note")
        self.sees("Kept here, will send: 2 entries", "#outbox")
        self.page.locator("#outbox summary").click()
        self.sees("Note: first the one", "#outbox li")
        self.page.reload()
        self.sees("Offline. This page is from", "#outbox")
        self.sees("Kept here, will send: Note: then the other", "#form-note")
        self.here()
        self.page.locator("#tape .says", has_text="then the other").wait_for(timeout=30_000)
        self.page.locator("#outbox").wait_for(state="hidden")
        self.assertEqual(self.page.locator(".kept-here").count(), 0)
        self.assertEqual(self.notes("demo-patrol")[-2:], ["first the one", "then the other"])

    def test_a_full_disk_is_named_where_the_note_waits_and_the_note_goes_when_there_is_room(self):
        folder = "The disk that holds /srv/workshop is full."
        self.go("/jobs/demo-patrol/tape")
        with mock.patch.object(type(self.workshop.tapes), "write", side_effect=NoSpace(folder)):
            self.page.get_by_label("Note").fill("the long one " * 8)
            self.press("Write", "#form-note")
            self.sees(folder, "#outbox")
            self.sees("the lon…", "#form-note")
        self.page.locator("#outbox").wait_for(state="hidden", timeout=30_000)
        self.assertEqual(self.notes("demo-patrol")[-1], ("the long one " * 8).strip())

    def test_cells_say_what_became_of_them_and_other_pages_open(self):
        for path in ("/jobs/demo-patrol/narrow", "/jobs/demo-patrol/measure/battery"):
            self.go(path)
        self.away()
        for cell, volts in (("cable_drop-ground", "0.21"), ("cable_drop-positive", "0.15")):
            self.page.locator(f"#in-{cell}").fill(volts)
            self.page.keyboard.press("Enter")
            self.page.locator(f"#cell-{cell} .verdict-head", has_text="Kept here, will send").wait_for()
        self.go("/jobs/demo-patrol/narrow")
        self.sees("Offline. This page is from", "#outbox")
        self.go("/jobs/demo-patrol/measure/battery")
        self.until("document.querySelector('#in-cable_drop-ground').value === '0.21'")
        self.go("/jobs/demo-patrol/report")
        self.sees("this page has not been opened on this device before")
        self.page.go_back()
        self.here()
        self.page.locator("#tape .says", has_text="0.15 V").wait_for(timeout=30_000)
        self.page.locator("#cell-cable_drop-ground .verdict-head", has_text="0.21").wait_for()
        drops = [
            x.data.value
            for x in self.workshop.tapes.job("demo-patrol").job.of(Reading)
            if x.data.test == "cable_drop"
        ]
        self.assertEqual(drops, [0.21, 0.15])

    def test_a_second_tab_says_nothing_waits_once_the_first_has_sent_it(self):
        self.go("/jobs/demo-patrol/tape")
        second = self.new_page()
        second.goto(self.base + "/jobs/demo-patrol/tape")
        second.wait_for_load_state()
        self.away()
        for text in ("one", "two"):
            self.page.get_by_label("Note").fill(text)
            self.press("Write", "#form-note")
            self.sees("Kept here, will send: Note: " + text, "#form-note")
        waits = second.locator("#outbox", has_text="Kept here, will send: 2 entries")
        waits.wait_for(timeout=30_000)
        self.here()
        for page in (self.page, second):
            page.locator("#outbox").wait_for(state="hidden", timeout=30_000)
        self.assertEqual(self.notes("demo-patrol")[-2:], ["one", "two"])

    def test_what_finds_no_turn_in_time_is_kept_and_sent_again(self):
        self.go("/jobs/demo-patrol/tape")
        locked = mock.patch("frosty_piston.store.tapes.WRITE_TIMEOUT_S", 0.1)
        with self.workshop.tapes._writing.of("demo-patrol").hold(5, "busy"), locked:
            self.page.get_by_label("Note").fill("in a crowd")
            self.press("Write", "#form-note")
            self.sees("Kept here, will send: Note: in a crowd", "#form-note")
            self.assertNotIn("in a crowd", self.notes("demo-patrol"))
        self.page.locator("#outbox").wait_for(state="hidden", timeout=30_000)
        self.assertEqual(self.notes("demo-patrol").count("in a crowd"), 1)

    def test_ticks_new_jobs_and_names_are_kept_too(self):
        self.go("/jobs/demo-patrol/measure/egr")
        before = self.workshop.yard.count()
        tick = self.page.get_by_role("button", name="Read and understood").first
        tick.wait_for()
        ticked = len(list(self.workshop.tapes.job("demo-patrol").job.of(Tick)))
        self.away()
        tick.click()
        self.sees("Kept here, will send: 1 entry", "#outbox")
        self.go("/")
        self.press("New job")
        self.sees("Kept here, will send: 2 entries", "#outbox")
        self.page.locator(".who-menu summary").click()
        self.page.get_by_label("Who is working").fill("Borghild")
        self.press("Take over")
        self.sees("Kept here, will send: 3 entries", "#outbox")
        self.here()
        self.page.locator("#outbox").wait_for(state="hidden", timeout=30_000)
        self.assertEqual(self.workshop.yard.count(), before + 1)
        self.assertIn("Borghild", self.workshop.settings.people())
        self.assertEqual(len(list(self.workshop.tapes.job("demo-patrol").job.of(Tick))), ticked + 1)

    def test_what_is_not_taken_says_why_and_can_be_put_away(self):
        self.go("/jobs/demo-patrol/arrive")
        self.away()
        self.unfold("conditions")
        self.page.get_by_label("Outside").fill("rather cold")
        self.press("Write down", "#form-conditions")
        self.sees("Kept here, will send: 1 entry", "#outbox")
        self.here()
        self.page.locator("#outbox .not-taken", has_text="no figure; write one in").wait_for(timeout=30_000)
        self.press("Dismiss", "#outbox")
        self.page.locator("#outbox").wait_for(state="hidden")

    def test_a_value_that_is_being_typed_stays_over_a_reload_and_is_written(self):
        self.go("/jobs/demo-patrol/measure/battery")
        self.page.locator("#in-cable_drop-ground").press_sequentially("0.3")
        self.page.reload()
        field = self.page.locator("#in-cable_drop-ground")
        self.until("document.querySelector('#in-cable_drop-ground').value === '0.3'")
        field.focus()
        self.page.keyboard.press("Enter")
        self.page.locator("#tape .says", has_text="ground: 0.3 V").wait_for()
        self.page.reload()
        self.assertEqual(field.input_value(), "0.3")
        typed = "Object.keys(sessionStorage).filter((key) => key.startsWith('piston-typed')).length"
        self.assertEqual(self.page.evaluate(typed), 0)

    def test_readings_behind_a_hanging_request_are_sent_after_leaving(self):
        self.go("/jobs/demo-patrol/measure/battery")
        self.page.route("**/measure/cell", lambda route: None)
        for cell, volts in (("cable_drop-ground", "0.21"), ("cable_drop-positive", "0.15")):
            self.page.locator(f"#in-{cell}").fill(volts)
            self.page.keyboard.press("Enter")
        self.until("acts.all().then((x) => x.length === 2)")
        self.page.unroute("**/measure/cell")
        self.go("/jobs/demo-patrol/measure/glow")
        self.page.locator("#tape .says", has_text="0.15 V").wait_for(timeout=30_000)
        drops = [
            x.data.value
            for x in self.workshop.tapes.job("demo-patrol").job.of(Reading)
            if x.data.test == "cable_drop"
        ]
        self.assertEqual(drops, [0.21, 0.15])


class SignedIn(Away):
    """Where people sign in, what one pressed waits for this one."""

    signing_in = True
    WORDS = {"Ylva": "four words of a lead", "Odd": "another four for work"}

    def arrive(self):
        for name, words in self.WORDS.items():
            self.workshop.people.set_passphrase(name, words)
        self.sign_in("Odd")

    def sign_in(self, name):
        self.go("/enter")
        self.page.get_by_label("Name").fill(name)
        self.page.get_by_label("Passphrase").fill(self.WORDS[name])
        self.press("Sign in")
        self.page.wait_for_url(self.base + "/")

    def sign_out(self):
        self.page.locator(".who-menu summary").click()
        self.press("Sign out")
        self.page.wait_for_url("**/enter")

    def test_what_one_pressed_is_sent_when_this_one_signs_in_again(self):
        self.go("/jobs/demo-patrol/tape")
        self.away()
        self.page.get_by_label("Note").fill("seen by Odd")
        self.press("Write", "#form-note")
        self.sees("Kept here, will send: 1 entry", "#outbox")
        self.workshop.people.set_passphrase("Odd", self.WORDS["Odd"])
        self.here()
        self.go("/enter")
        self.sign_in("Ylva")
        self.sees("Sent when Odd signs in", "#outbox")
        self.assertIn("piston-", self.page.evaluate("caches.keys().then((x) => x.join())"))
        self.sign_out()
        self.assertEqual(self.page.evaluate("acts.all().then((x) => x.length)"), 1)
        self.assertNotIn("seen by Odd", self.notes("demo-patrol"))
        self.sign_in("Odd")
        self.until("acts.all().then((x) => x.length === 0)")
        self.assertEqual(self.notes("demo-patrol")[-1], "seen by Odd")
        self.assertEqual(self.workshop.tapes.job("demo-patrol").job.tape[-1].by, "Odd")

    def test_a_kept_page_of_somebody_else_gives_way_when_the_server_is_back(self):
        self.go("/jobs/demo-patrol/tape")
        self.away()
        self.page.get_by_label("Note").fill("seen by Odd")
        self.press("Write", "#form-note")
        self.sees("Kept here, will send: 1 entry", "#outbox")
        self.page.evaluate(
            """async (url) => {
                const cache = await caches.open((await caches.keys())[0]), kept = await cache.match(url);
                const page = (await kept.text()).replace(/data-who="Odd"/, 'data-who="Ylva"');
                await cache.put(url, new Response(page, { headers: kept.headers }));
            }""",
            f"{self.base}/",
        )
        self.go("/")
        self.sees("Sent when Odd signs in", "#outbox")
        self.here()
        self.until("acts.all().then((x) => x.length === 0)")
        self.assertEqual(self.notes("demo-patrol")[-1], "seen by Odd")

    def test_pages_are_gone_after_signing_out(self):
        self.go("/jobs/demo-patrol/tape")
        self.until(f"caches.match('{self.base}/jobs/demo-patrol/tape').then((x) => Boolean(x))")
        self.sign_out()
        self.assertIsNone(
            self.page.evaluate(f"caches.match('{self.base}/jobs/demo-patrol/tape').then((x) => x || null)")
        )


if __name__ == "__main__":
    unittest.main()
