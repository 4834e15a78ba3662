"""Own odds switched on, named where they move, and off again; the year beside them."""

from math import log

from frosty_piston.job.engine import EngineCard
from tests.browser.test_any_job import AnyJob
from tests.cases import NORRA


class OwnOdds(AnyJob):
    def test_switched_on_they_are_named_where_they_move(self):
        self.addCleanup(self.workshop.cases.switch, False, "test")
        self.job = self.workshop.tapes.new_job("Own", {"name": "Own", "odometer_km": 90_000}, NORRA)
        self.at("arrive")
        self.page.get_by_label("In the driver's words").fill("hard start")
        self.press("Write down", "#form-complaint")
        self.sees("hard start", "#tape")
        self.picks("Hard start when cold")
        self.press("No other codes stored")
        self.sees("Codes read", "#tape")
        self.go("/shelf/own")
        self.sees("They move nothing yet")
        learned = self.workshop.cases.own.learned(EngineCard.model_validate(NORRA), self.workshop.knowledge)
        glow = [f for f in learned if self.workshop.knowledge.fault_system[f] == "glow"]
        moved = max(glow, key=lambda f: abs(log(learned[f].times)) * learned[f].general)
        self.at(f"why/{moved}")
        self.assertEqual(self.page.get_by_text("Own odds:").count(), 0)
        self.go("/shelf/own")
        self.sees("made up for the demo")
        self.press("Let them move the odds")
        self.sees("They move the odds")
        self.at(f"why/{moved}")
        self.sees("Own odds: the proven jobs on Norra D4-22")
        self.sees("in general")

        self.go("/shelf/own")
        self.press("Switch it off")
        self.sees("They move nothing yet")
        self.at(f"why/{moved}")
        self.assertEqual(self.page.get_by_text("Own odds:").count(), 0)

    def test_the_year_and_its_csv(self):
        self.go("/shelf")
        self.page.locator(".shelf-nav").get_by_role("link", name="Year").click()
        self.sees("cured by the first repair")
        self.assertGreater(self.page.locator(".reliability .owndot").count(), 1)
        with self.page.expect_download() as brought:
            self.page.get_by_role("link", name="CSV").click()
        self.assertTrue(brought.value.suggested_filename.startswith("year-"))
