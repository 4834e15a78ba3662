"""One server and one Chromium for all browser tests."""

import atexit
import shutil
import tempfile
import threading
import time
import unittest

import uvicorn
from playwright.sync_api import Error, sync_playwright

from frosty_piston.store.database import open_database
from frosty_piston.store.workshop import Workshop
from frosty_piston.web.frame.app import create_app
from frosty_piston.web.frame.serving import free_port
from tests.cases import MODERN
from tests.made import demo_into

FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--no-first-run",
    "--disable-quic",
]
_shared: dict = {}


def shared() -> dict:
    """Start the server on the demo data and the browser, once."""
    if _shared:
        return _shared
    folder = tempfile.mkdtemp()
    workshop = Workshop(open_database(demo_into(folder)))
    workshop.day.search_s, workshop.day.rest_s = 0.1, 0.0
    taken = free_port(0)
    server = uvicorn.Server(uvicorn.Config(create_app(workshop), log_level="error", access_log=False))
    thread = threading.Thread(target=server.run, kwargs={"sockets": [taken]}, daemon=True)
    thread.start()
    playwright = sync_playwright().start()
    browser = playwright.chromium.launch(executable_path=shutil.which("chromium"), args=FLAGS)

    def stop() -> None:
        browser.close()
        playwright.stop()
        server.should_exit = True
        thread.join(5)
        workshop.close()
        shutil.rmtree(folder, ignore_errors=True)

    atexit.register(stop)
    _shared.update(base=f"http://127.0.0.1:{taken.getsockname()[1]}", browser=browser, workshop=workshop)
    return _shared


class BrowserTest(unittest.TestCase):
    """A fresh page on the shared server; fails when the page's own scripts complain."""

    size = {"width": 1280, "height": 800}

    def setUp(self):
        self.base, self.workshop = shared()["base"], shared()["workshop"]
        self.context = shared()["browser"].new_context(viewport=self.size)
        self.addCleanup(self.context.close)
        self.context.set_default_timeout(20_000)
        self.complaints: list[str] = []
        self.page = self.new_page()

    def new_page(self):
        page = self.context.new_page()
        page.on("pageerror", lambda e: self.complaints.append(str(e)))
        page.on(
            "console",
            lambda m: (
                self.complaints.append(m.text) if m.type == "error" and "Content Security" in m.text else None
            ),
        )
        return page

    def tearDown(self):
        self.assertEqual(self.complaints, [])

    def go(self, path):
        self.page.goto(self.base + path)

    def press(self, name, inside="body"):
        self.page.locator(inside).get_by_role("button", name=name, exact=True).first.click()

    def sees(self, text, inside="body"):
        self.page.locator(inside).get_by_text(text).first.wait_for()

    def until(self, says, arg=None, seconds=30):
        """Wait until something that takes its time to answer says yes. Asked again each time from outside: a
        condition that is polled inside the page may not be evaluated there under its content policy."""
        last = time.monotonic() + seconds
        while not self._answers(says, arg):
            self.assertLess(time.monotonic(), last, says)

    def _answers(self, says, arg):
        try:
            return self.page.evaluate(says, arg)
        except Error:  # the page was left while it was asked
            self.page.wait_for_load_state()
            return None

    def odds(self, fault):
        return self.page.locator("#heat li", has_text=fault).locator(".odds").inner_text()

    def begin(self, name, symptoms, codes="", engine=MODERN):
        """A job of its own: a vehicle with its card stands in the yard; all else is written on the pages."""
        self.job = self.workshop.tapes.new_job(
            name, {"name": name, "odometer_km": 140_000}, {**engine, "name": f"{engine['name']} {name}"}
        )
        self.go(f"/jobs/{self.job}/arrive")
        self.page.get_by_label("In the driver's words").fill(name)
        self.press("Write down", "#form-complaint")
        self.sees(name, "#tape")
        for title in symptoms:
            self.picks(title)
        if codes:
            self.page.get_by_label("Paste the whole read-out").fill(codes)
            self.press("Find the codes")
            self.sees(codes.split()[0], "#part-codes .holds")
        else:
            self.press("No other codes stored")
            self.sees("Codes read", "#tape")

    def unfold(self, part):
        """Open a part of Arrive that has folded to a line."""
        fold = self.page.locator(f"#part-{part}")
        if fold.get_attribute("open") is None:
            fold.locator("summary").first.click()

    def picks(self, title, letters=""):
        """A symptom by a few letters."""
        self.page.get_by_label("Symptoms").fill(letters or title)
        self.page.get_by_role("button", name=title, exact=True).click()
        self.sees(title, ".picked")

    def at(self, page):
        self.go(f"/jobs/{self.job}/{page}")
