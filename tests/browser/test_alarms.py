"""An alarm rings on whatever page is open, over a restart of the server, and is ended in one press."""

import json
import shutil
import tempfile
import threading
from datetime import timedelta
from pathlib import Path
from unittest.mock import patch

import uvicorn

from frosty_piston.store.database import open_database
from frosty_piston.store.timestamps import now, stamp
from frosty_piston.store.workshop import Workshop
from frosty_piston.web.frame.app import create_app
from frosty_piston.web.frame.serving import free_port
from tests.browser.pages import BrowserTest
from tests.cases import entry, job_file, symptom


class Own:
    """A server of one's own on a port of its own, which can be stopped and started again."""

    def __init__(self, folder, port):
        self.workshop = Workshop(open_database(folder))
        self.workshop.day.search_s, self.workshop.day.rest_s = 0.1, 0.0
        taken = free_port(port)
        self.port = taken.getsockname()[1]
        self.server = uvicorn.Server(
            uvicorn.Config(create_app(self.workshop), log_level="error", access_log=False)
        )
        self.thread = threading.Thread(target=self.server.run, kwargs={"sockets": [taken]}, daemon=True)
        self.thread.start()

    def stop(self):
        self.server.should_exit = True
        self.thread.join(20)
        self.workshop.close()


class Restart(BrowserTest):
    def test_it_rings_while_the_server_is_away_and_is_ended_after_it_came_back(self):
        folder = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, folder, ignore_errors=True)
        own = Own(folder, 0)
        self.base = f"http://127.0.0.1:{own.port}"
        until = stamp(now() + timedelta(minutes=30))
        soak = entry("wait", wait="soak", what="cooler in cleaner", until=until)
        file = job_file(symptom("no_start"), entry("code_scan"), soak, job_id="shuttle")
        own.workshop.tapes.import_file(json.dumps(file).encode())
        self.page.clock.install()
        self.go("/shelf")
        self.until(
            "() => Object.entries(localStorage).some(([k, v]) => /alarms/.test(k) && v.includes('cooler'))"
        )
        self.assertFalse(self.page.locator("#alarms").is_visible())
        calm = self.page.title()

        own.stop()
        self.page.clock.fast_forward("31:00")
        self.sees("cooler in cleaner", "#alarms")
        self.assertEqual(self.page.title(), f"(1) rang · {calm}")
        self.assertIn("piston-rings", self.page.locator("link[rel=icon]").get_attribute("href"))

        later = patch(
            "frosty_piston.web.workshop.alarms.now", side_effect=lambda: now() + timedelta(minutes=32)
        )
        later.start()
        self.addCleanup(later.stop)
        own = Own(folder, own.port)
        self.addCleanup(own.stop)
        other = self.context.browser.new_context()
        self.addCleanup(other.close)
        second = other.new_page()
        second.clock.install(time=now() + timedelta(minutes=31))
        second.goto(self.base + "/")
        second.locator("#alarms").get_by_text("cooler in cleaner").first.wait_for()

        self.page.clock.fast_forward("01:00")
        button = self.page.locator("#alarms").get_by_role("button", name="It is over, go on")
        button.wait_for()
        self.page.locator("#alarms [name=seen]").fill("clear water came out")
        held = []
        self.page.route("**/alarms/bar", lambda route: held.append(route))
        with self.page.expect_request("**/alarms/bar"):
            button.click()
        self.page.wait_for_url("**/jobs/shuttle/**")
        self.sees("clear water came out", "#tape")
        self.assertFalse(self.page.locator("#alarms").is_visible(), "before the server was asked")
        for asked in held:
            asked.continue_()
        self.page.unroute("**/alarms/bar")
        self.until("!Object.keys(sessionStorage).some((name) => name.endsWith('-pressed'))")
        self.assertFalse(self.page.locator("#alarms").is_visible())
        second.clock.fast_forward("01:00")
        second.locator("#alarms").wait_for(state="hidden")
        self.assertNotIn("rang", second.title())
