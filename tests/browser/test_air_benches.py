"""The benches of the air side in the real page: a value typed, a turn logged, before beside after, on a phone
too."""

from tests.browser.pages import BrowserTest

BUS, VAN = "/jobs/demo-bus-egr", "/jobs/demo-van-5"


class AirBenches(BrowserTest):
    def test_a_typed_position_moves_the_valve_and_is_judged(self):
        self.go(BUS + "/measure/egr")
        cell = self.page.locator("#cell-egr_position-engine_off .value")
        cell.fill("38")
        cell.press("Enter")
        self.page.locator(
            "#tape .says", has_text="EGR position with the engine off, engine off: 38"
        ).wait_for()
        self.page.locator("#drawing .pointer.failed").wait_for(state="attached")
        self.assertIn("38\xa0%", self.page.locator("#drawing").text_content())

    def test_a_turn_is_logged_with_what_it_brought_and_a_wrong_one_keeps_what_was_typed(self):
        self.go(BUS + "/measure/egr")
        log = self.page.locator("#cleaning")
        log.get_by_label("Took").fill("twenty")
        log.get_by_label("Measured").fill("free width")
        self.press("Write the turn down", "#cleaning")
        self.page.locator("#fault-cleaning-minutes").wait_for()
        self.assertEqual(self.page.locator("#cleaning").get_by_label("Measured").input_value(), "free width")
        log.get_by_label("Took").fill("20")
        log.get_by_label("Before").fill("25")
        log.get_by_label("After").fill("25,5")
        self.press("Write the turn down", "#cleaning")
        self.page.locator("#tape .says", has_text="20 min, free width 25 to 25.5").wait_for()
        self.assertEqual(self.page.locator("#cleaning .brought").count(), 4)

    def test_before_and_after_stand_in_one_picture(self):
        self.go(BUS + "/measure/egr")
        self.page.get_by_role("link", name="beside the one before").click()
        self.page.locator("#trace .uplot canvas").wait_for()
        self.page.get_by_label("Aligned when this channel").select_option("egr_position")
        self.page.get_by_label("crosses this level").fill("30")
        self.press("Compare", "#form-look")
        self.page.wait_for_url("**event=egr_position**")
        self.page.locator("#trace .u-legend", has_text="Air mass per stroke, other").wait_for()
        self.sees("Flows", ".analysed")

    def test_the_pull_is_judged_and_its_row_of_the_table_stands_out(self):
        self.go(VAN + "/measure/boost")
        self.page.locator("#work").get_by_role("link", name="pull on the pass.csv").click()
        self.sees("Short", ".analysed")
        self.assertIn("actuator, linkage", self.page.locator(".boosttable .here").inner_text())
        self.press("Write this down", ".analysed")
        self.page.locator("#tape .says", has_text="Boost commanded and actual: short").wait_for()

    def test_the_lever_by_hand_answers_part_or_turbo(self):
        self.go(VAN + "/measure/turbo")
        self.sees("Not to be told yet", ".question")
        self.press("Seized", "#step-linkage_free")
        self.sees("Clean the vanes, or the turbo", ".question")

    def test_no_bench_is_wider_than_a_phone(self):
        self.page.set_viewport_size({"width": 390, "height": 844})
        for bench in ("", "egr", "bypass", "inlet_flap", "swirl", "turbo", "boost"):
            self.go(f"{VAN}/measure/{bench}")
            self.assertLessEqual(self.page.evaluate("document.documentElement.scrollWidth"), 390, bench)
