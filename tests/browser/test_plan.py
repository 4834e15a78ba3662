"""The plan of the engine: warm, frosted, by keyboard, and every part opens its test."""

from tests.browser.pages import BrowserTest

VAN = "/jobs/demo-van-5"


class Plan(BrowserTest):
    def part(self, name):
        return self.page.locator(f"svg.plan a.part[aria-label^='{name}']").first

    def test_it_opens_by_key_warm_where_it_is_suspected(self):
        self.go(VAN + "/narrow")
        self.page.keyboard.press("p")
        self.page.wait_for_url("**/plan")
        actuator = self.part("Turbo actuator")
        actuator.wait_for()
        self.assertRegex(actuator.get_attribute("class"), r"warm-[34]")
        self.assertIn("Opens", actuator.get_attribute("aria-label"))
        self.assertIn("cleared", self.part("Air filter").get_attribute("class"))
        self.assertEqual(self.page.locator("svg.plan g.bore").count(), 4)

    def test_a_part_opens_its_test_and_the_result_frosts_or_warms_it(self):
        self.go(VAN + "/plan")
        before = self.odds("Electric turbo actuator")
        self.part("Turbo actuator").click()
        self.sees("Turbo actuator", "h1")
        self.press("Dead spot", "#step-actuator_sweep-turbo_actuator")
        self.page.locator("#tape .says", has_text="turbo actuator: dead spot").wait_for()
        self.assertNotEqual(self.odds("Electric turbo actuator"), before)
        self.page.keyboard.press("p")
        self.page.wait_for_url("**/plan")
        self.assertIn("warm-4", self.part("Turbo actuator").get_attribute("class"))
        self.page.locator("svg.plan a[aria-label^='Turbo actuator'] .spot.flame").wait_for()

    def test_heat_goes_to_the_cylinder_and_glow_opens_its_bench(self):
        self.go("/jobs/demo-van-3/plan")
        self.assertIn("warm-4", self.part("Glow plug, cylinder 2").get_attribute("class"))
        self.assertIn("cleared", self.part("Glow plug, cylinder 1").get_attribute("class"))
        self.part("Glow plug, cylinder 2").click()
        self.page.wait_for_url("**/measure/glow*")

    def test_every_part_is_in_the_list_and_reached_by_keyboard(self):
        self.go(VAN + "/plan")
        drawn = {
            label.split(":")[0]
            for label in self.page.locator("svg.plan a.part:not(.half)").evaluate_all(
                "all => all.map(a => a.getAttribute('aria-label'))"
            )
        }
        listed = set(self.page.locator(".partlist tbody td:first-child a").all_inner_texts())
        self.assertEqual(drawn - listed, set())
        self.page.locator("svg.plan a.part").first.focus()
        self.page.keyboard.press("Enter")
        self.page.wait_for_url("**/measure/**")

    def test_cards_give_different_plans(self):
        self.go("/jobs/demo-wagon/plan")
        self.assertEqual(self.page.locator("svg.plan g.bore").count(), 6)
        self.part("Stop actuator").wait_for()
        self.assertEqual(self.page.locator("svg.plan a[aria-label^='SCR']").count(), 0)
        self.go("/jobs/demo-groomer-2/plan")
        self.assertEqual(self.page.locator("svg.plan a[aria-label^='Battery:']").count(), 2)
        self.assertEqual(
            len(
                set(
                    self.page.locator("svg.plan g.bore").evaluate_all(
                        "all => all.map(g => g.getAttribute('transform').split(' ')[1].split(')')[0])"
                    )
                )
            ),
            2,
        )
