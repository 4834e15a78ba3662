"""What a page weighs on the line: from an empty cache, and again when only the page is fetched."""

import sys
import unittest

from . import pages

COLD, WARM = 250_000, 12_500
PAGES = {"yard": "/", "glow bench": "/jobs/demo-van-3/measure/glow", "recording": ""}


class Weight(pages.BrowserTest):
    def weighed(self, page, path):
        """The compressed bytes that a page brought; what the worker fetches for later is apart."""
        session, got, later = self.context.new_cdp_session(page), {}, []
        session.send("Network.enable")
        session.send("Network.setBypassServiceWorker", {"bypass": True})
        session.on("Network.loadingFinished", lambda e: got.update({e["requestId"]: e["encodedDataLength"]}))
        session.on(
            "Network.requestWillBeSent",
            lambda e: later.append(e["requestId"]) if "worker.js" in e["request"]["url"] else None,
        )
        page.goto(self.base + path, wait_until="networkidle")
        session.detach()
        return sum(n for request, n in got.items() if request not in later)

    def test_pages_are_light(self):
        recording = self.workshop.recordings.of_job("demo-van-5")[0]
        for name, path in PAGES.items():
            path = path or f"/jobs/demo-van-5/traces/{recording.id}"
            self.context.close()
            self.context = pages.shared()["browser"].new_context(viewport=self.size)
            page = self.new_page()
            cold = self.weighed(page, path)
            warm = self.weighed(page, path)
            print(
                f"weight of the {name}: {cold / 1000:.0f} KB at first, {warm / 1000:.1f} KB again",
                file=sys.stderr,
            )
            with self.subTest(name):
                self.assertLess(cold, COLD)
                self.assertLess(warm, WARM)
                self.assertGreater(warm, 1000)


if __name__ == "__main__":
    unittest.main()
