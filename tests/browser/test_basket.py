"""Two repairs in one basket: each with its reason, one bill, a ceiling too low, and the owner's page."""

import json

from tests.browser.test_any_job import AnyJob
from tests.cases import MODERN, code, job_file, outcome, reading, symptom

FOUND = (
    symptom("black_smoke"),
    symptom("limp_mode"),
    code("P0403"),
    outcome("egr_look", "stuck"),
    reading("egr_position", 14.0, "percent", point="engine_off"),
)


class Basket(AnyJob):
    def offer(self, title):
        return self.page.locator("article.offer").filter(
            has=self.page.get_by_role("heading", name=title, exact=True)
        )

    def test_two_repairs_one_bill_and_a_ceiling(self):
        page = self.page
        self.job = "basket-of-two"
        file = job_file(*FOUND, engine=MODERN, job_id=self.job)
        self.workshop.tapes.import_file(json.dumps(file).encode())
        self.at("decide")
        first = self.offer("Valve off and cleaned")
        first.get_by_label("Why this one").fill("it is only soot")
        first.get_by_role("button", name="Pick this").click()
        self.sees("it is only soot", "#basket")

        page.get_by_text("Something else is to be done").click()
        page.get_by_label("What", exact=True).select_option("egr_cooler_cleaned")
        self.press("Put it in")
        self.sees("say why this goes in as well")
        page.get_by_label("Why", exact=True).fill("no light through it")
        self.press("Put it in")
        self.sees("no light through it", "#basket")
        self.sees("counted once", "#basket")

        page.get_by_label("Who said it").fill("Depot")
        page.get_by_label("Ceiling").fill("500")
        self.press("Owner says yes")
        self.sees("Depot said yes")
        self.sees("ask again", "#basket")
        self.sees("more than the ceiling", "#consent")
        page.get_by_label("Who said it").fill("Depot")
        page.get_by_label("Ceiling").fill("60 000")
        self.press("Owner says yes")
        page.get_by_text("ask again").first.wait_for(state="detached")

        total = page.locator("#basket .basket-sum b.num").first.inner_text()
        self.at("report")
        self.sees(total)
        self.sees("of at most 60")
        self.at("decide")
        page.locator("#basket li", has_text="no light through it").get_by_role("button").click()
        page.locator("#basket li", has_text="no light through it").wait_for(state="detached")
        self.sees("it is only soot", "#basket")
