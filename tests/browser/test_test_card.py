"""Any test of the list can be made from its card: outcome, figures, cells, part, and nothing lost when it is
wrong."""

import re

from tests.browser.pages import BrowserTest

CARD = "/jobs/demo-wagon/measure/test/"


class Card(BrowserTest):
    def can_be_stopped(self):
        """It is written how the air will be closed."""
        self.go("/jobs/demo-wagon/measure/stop")
        way = self.page.get_by_label("How it will be stopped")
        if way.count():
            way.fill("board over the intake")
            self.press("Read and understood, written down", "#work")
        self.sees("How it will be stopped: board over the intake", "#work")

    def test_an_outcome_is_written_and_moves_the_heat(self):
        self.go(CARD + "stop_hand_pump")
        self.sees("Check the lever on the engine first", "#work")
        self.press("Read and understood: emergency stop first", "#work")
        self.press("Stops at once, gauge falls back", "#work")
        self.sees("try the emergency lever first", "#work .fault")
        self.can_be_stopped()
        self.go(CARD + "stop_hand_pump")
        before = self.odds("Vacuum stop actuator")
        self.page.get_by_label("What was seen").fill("falls back in ten seconds")
        self.press("Stops at once, gauge falls back", "#work")
        self.page.locator("#tape .says", has_text="stops at once, gauge falls back").wait_for()
        self.page.locator("#work .verdict.failed").wait_for()
        self.assertNotEqual(self.odds("Vacuum stop actuator"), before)

    def test_figures_that_cannot_be_stay_where_they_were_typed(self):
        self.can_be_stopped()
        self.go(CARD + "vacuum_at_pump")
        self.page.get_by_label("Vacuum, kPa").fill("eighty")
        self.page.get_by_label("Seconds").fill("14")
        self.press("Write down", "#work")
        self.page.locator(".fieldbox.bad .fault", has_text="is no figure").wait_for()
        self.assertEqual(self.page.get_by_label("Vacuum, kPa").input_value(), "eighty")
        self.assertEqual(self.page.get_by_label("Seconds").input_value(), "14")
        self.page.get_by_label("Vacuum, kPa").fill("88,5")
        self.press("Write down", "#work")
        self.page.locator("#work .verdict.sound").wait_for()

    def test_the_clock_writes_the_seconds_and_the_gauge_is_said_once(self):
        self.addCleanup(self.workshop.settings.save, "vacuum_gauge", {})
        self.go(CARD + "vacuum_hold")
        self.sees("Wait 40 s at least", "#work")
        clock = self.page.locator("[data-into='#figures-seconds'] button")
        clock.click()
        running = re.compile(r"Stop, (0\.[2-9]|[1-9])")
        self.page.locator("[data-into='#figures-seconds'] button", has_text=running).wait_for()
        clock.click()
        self.assertGreaterEqual(float(self.page.locator("#figures-seconds").input_value()), 0.2)
        self.page.get_by_label("Gauge reads in").select_option("inHg")
        for name, figure in (("start_kpa", "18"), ("end_kpa", "17.5"), ("seconds", "60")):
            self.page.locator(f"#figures-{name}").fill(figure)
        self.press("Write down", "#work")
        self.page.locator("#tape .says", has_text="reads in inHg").wait_for()
        self.page.locator("#work .setverdict .verdict").first.wait_for()
        self.sees("Start, inHg", "#work")

    def test_cells_for_each_channel_and_enter_goes_on(self):
        self.go("/jobs/demo-van-5/measure/test/exhaust_temps")
        cells = self.page.locator("#work .value")
        cells.nth(0).fill("241")
        self.page.keyboard.press("Enter")
        self.assertEqual(self.page.evaluate("document.activeElement.id"), cells.nth(1).get_attribute("id"))
        self.page.locator("#tape .says", has_text="exhaust 1: 241 °C").wait_for()

    def test_another_part_by_one_press(self):
        self.go("/jobs/demo-van-5/measure/test/wiggle")
        self.page.locator("nav.switch").get_by_role("link", name="EGR valve").click()
        self.page.locator("nav.switch [aria-current]", has_text="EGR valve").wait_for()
        for label, value in (
            ("Seconds wiggling", "60"),
            ("Dropouts wiggling", "0"),
            ("Seconds hands off", "60"),
        ):
            self.page.get_by_label(label).fill(value)
        self.press("Write down", "#work")
        self.page.locator("#tape .says", has_text="egr valve").wait_for()


class Shelf(BrowserTest):
    def test_search_by_key_as_it_is_typed(self):
        self.go("/jobs/demo-wagon/arrive")
        self.page.keyboard.press("/")
        self.page.wait_for_url("**/search")
        self.page.locator("#q").press_sequentially("stop line")
        self.page.locator(".hits a", has_text="Vacuum line to the stop actuator leaks").click()
        self.page.wait_for_url("**/shelf/faults/stop_line_leak")
        self.sees("What kills it")

    def test_a_code_by_a_few_letters(self):
        self.go("/shelf/codes")
        self.page.locator("#find").fill("p0401")
        self.page.locator("tr#P0402").wait_for(state="hidden")
        self.page.locator("tr#P0401").wait_for()

    def test_a_pattern_is_written_and_taken_down(self):
        self.go("/shelf/faults/egr_cooler_leak")
        self.page.get_by_role("link", name="Write a pattern for it").click()
        for label, value in (
            ("Engine card", "Tind T3-15"),
            ("Times as likely", "2"),
            ("Who says so", "Ylva"),
            ("What it rests on", "two this winter"),
        ):
            self.page.locator("#form-pattern").get_by_label(label).fill(value)
        self.press("Write down")
        row = self.page.locator("tr", has_text="two this winter")
        row.wait_for()
        row.get_by_role("button", name="Take down").click()
        self.page.locator("li", has_text="two this winter").wait_for()


class Phone(BrowserTest):
    size = {"width": 390, "height": 844}

    def test_cards_narrow_why_and_shelf_fit_a_phone(self):
        for path in (
            "/jobs/demo-van-5/narrow",
            "/jobs/demo-van-5/plan",
            "/jobs/demo-van-5/why/boost_hose_split",
            CARD + "vacuum_hold",
            "/jobs/demo-van-5/measure/test/exhaust_temps",
            "/shelf",
            "/shelf/faults",
            "/shelf/faults/turbo_worn",
            "/shelf/tests/dpf_state",
            "/shelf/codes",
            "/shelf/patterns",
            "/search?q=egr",
        ):
            self.go(path)
            self.assertLessEqual(self.page.evaluate("document.documentElement.scrollWidth"), 390, path)
            small = self.page.evaluate(
                """[...document.querySelectorAll('main button, main .input, main .value, main select')]
                .concat([...document.querySelectorAll('main .toggle, .shelf-nav a')])
                .filter(e => e.offsetParent && !e.matches('.write'))
                .map(e => [e.getBoundingClientRect().height, e.outerHTML.slice(0, 90)])
                .filter(([h]) => h < 43.5)"""
            )
            self.assertEqual(small, [], path)
