"""Why: one press on any odds gives the sentence, the weights, the trail, and what would change it."""

from tests.browser.pages import BrowserTest

VAN = "/jobs/demo-van-5"


class Why(BrowserTest):
    def test_one_press_on_the_odds(self):
        self.go(VAN + "/arrive")
        row = self.page.locator("#heat .suspects a").first
        name, odds = row.locator(".suspect-name").inner_text(), row.locator(".odds").inner_text()
        row.locator(".odds").click()
        self.page.wait_for_url("**/why/**")
        self.assertIn(self.page.locator("h1").inner_text(), name)
        self.assertEqual(self.page.locator(".why-head .odds").inner_text(), odds)
        for heading in ("What speaks for and against it", "How the odds went", "What would change it"):
            self.sees(heading, "#work")
        self.assertGreater(self.page.locator(".scales .for li").count(), 1)
        self.sees("odds times", ".scales")

    def test_the_pattern_is_named_where_it_moved_the_odds(self):
        self.go(VAN + "/why/turbo_actuator_motor")
        self.sees("Workshop pattern", ".scales .for")
        self.sees("four of the last six", ".scales .for")
        self.go(VAN + "/narrow")
        self.sees("workshop pattern", "#heat")

    def test_what_would_change_it_leads_to_the_test(self):
        self.go("/jobs/demo-wagon/why/stop_line_leak")
        self.page.locator(".changes a").first.click()
        self.page.wait_for_url("**/measure/**")
        self.sees("Write down", "#work")

    def test_a_finding_leads_to_the_tape(self):
        self.go(VAN + "/why/boost_hose_split")
        self.page.locator(".scales a", has_text="on the tape").first.click()
        self.page.wait_for_url("**/tape?entry=*#entry-*")
        target = self.page.evaluate("location.hash.slice(1)")
        self.page.locator(f"[id='{target}']").wait_for()


class Narrow(BrowserTest):
    def test_noise_and_parked_codes_stand_apart(self):
        self.go(VAN + "/narrow")
        self.assertIn("P2562", self.page.locator(".kind", has_text="Noise").inner_text())
        parked = self.page.locator(".kind", has_text="Parked").inner_text()
        self.assertIn("P0672", parked)
        self.assertIn("B1620", parked)

    def test_the_customer_waits_and_the_engine_is_cold(self):
        self.go("/jobs/demo-groomer-2/narrow")
        self.press("The customer waits")
        self.page.locator(".toggle[aria-pressed=true]", has_text="The customer waits").wait_for()
        self.sees("left out for now", "#work")
        self.press("Engine is cold now")
        self.page.locator(".toggle[aria-pressed=true]", has_text="Engine is cold now").wait_for()
        self.page.locator("#tape .says", has_text="Engine is cold now").wait_for()
        self.press("The customer waits")
        self.page.locator(".toggle[aria-pressed=false]", has_text="The customer waits").wait_for()

    def test_the_tools_at_hand(self):
        self.begin("Cold and dead", ["Never fires when cold"])
        self.at("narrow")
        self.page.locator("summary", has_text="I have these tools").click()
        self.page.get_by_label("DC current clamp").uncheck()
        self.press("These are here")
        self.sees("1 lacking", "#work")
        self.assertEqual(self.page.locator(".testlist li", has_text="Glow plug current").count(), 0)
        self.page.locator("summary", has_text="I have these tools").click()
        self.page.get_by_label("DC current clamp").check()
        self.press("These are here")
        self.page.locator(".testlist li", has_text="Glow plug current").first.wait_for()
