"""A wiggle test with a phone in one hand, and by keys: counted, a slip undone, judged while it is counted."""

from tests.browser.pages import BrowserTest

BENCH = "/jobs/demo-van-3/measure/intermittent?node=injector&cylinder=2"
SECONDS = "s => Number(document.querySelector('#figures-wiggle-' + s).value) >= 1"


class Wiggling(BrowserTest):
    size = {"width": 390, "height": 844}

    def test_by_thumb(self):
        self.go(BENCH)
        pad = self.page.locator(".wigglepad")
        pad.get_by_role("button", name="Wiggle").click()
        for _ in range(5):
            pad.get_by_role("button", name="Dropout").click()
        for button in pad.get_by_role("button").all():
            box = button.bounding_box()
            self.assertGreaterEqual(box["height"], 44)
            self.assertLess(box["y"] + box["height"], 844.5)  # within a pixel of the screen
        pad.get_by_role("button", name="Undo a slip").click()
        self.until("performance.now() > 1200")
        pad.get_by_role("button", name="Hands off").click()
        self.until(SECONDS, "wiggle_s")
        self.assertEqual(self.page.locator("#figures-wiggle-dropouts").input_value(), "4")
        self.assertEqual(self.page.locator("#figures-wiggle-rest_dropouts").input_value(), "0")

    def test_by_keys(self):
        self.go(BENCH)
        self.press("Read and understood: injector voltage", "#work")
        self.page.locator("#work .ticked").first.wait_for(state="attached")
        self.page.locator("h1").first.click()
        self.page.keyboard.press("w")
        for _ in range(7):
            self.page.keyboard.press("d")
        self.page.keyboard.press("z")
        began = self.page.evaluate("performance.now()")
        self.until("began => performance.now() > began + 1100", began)
        self.page.keyboard.press("h")
        self.until("began => performance.now() > began + 2300", began)
        self.page.keyboard.press("x")
        self.until(SECONDS, "rest_s")
        self.page.locator("#set-wiggle-typed .verdict").wait_for()
        self.page.get_by_label("What was wiggled").fill("plug of cylinder 2")
        self.press("Write down", "#form-wiggle")
        self.sees("Wiggled: plug of cylinder 2", "#step-wiggle")
