"""The day in the pages: what runs over redraws the rest; a pin stays; by keyboard and on the phone."""

from datetime import timedelta
from unittest.mock import patch

from frosty_piston.job.day.setup import Hours
from frosty_piston.store.timestamps import now
from tests.browser.test_any_job import AnyJob

ALWAYS = Hours(since="00:00", until="23:59", breaks=(), days=(0, 1, 2, 3, 4, 5, 6))


class DayPlan(AnyJob):
    def setUp(self):
        super().setUp()
        self.ahead, self.nine = (
            timedelta(),
            now().astimezone().replace(hour=9, minute=0, second=0, microsecond=0),
        )
        for place in ("store.day", "web.workshop.day"):
            moved = patch(f"frosty_piston.{place}.now", side_effect=lambda: self.nine + self.ahead)
            moved.start()
            self.addCleanup(moved.stop)
        self.was = {name: dict(self.workshop.settings.get(name)) for name in ("day", "day_on", "day_pins")}
        setup = self.workshop.day.setup
        hours = {"Ylva": ALWAYS, "Torvald": Hours(there=False), "Sunniva": Hours(there=False)}
        self.workshop.day.keep_setup(setup.model_copy(update={"hours": hours}))
        for row in self.workshop.yard.jobs(limit=200):
            self.workshop.day.put(row.id, on=False)
        self.addCleanup(self.put_back)

    def put_back(self):
        for name, value in self.was.items():
            self.workshop.settings.save(name, value)

    def begins(self, title):
        """When a piece begins, as the list of everything says it."""
        fold = self.page.locator("details:has(ol.comes) > summary").last
        if fold.locator("..").get_attribute("open") is None:
            fold.click()
        return self.page.locator("details ol.comes li", has_text=title).first.locator("b").inner_text()

    def test_a_day_is_laid_out_anew_when_something_runs_over(self):
        self.begin("Hard start, white smoke", ["Hard start when cold"])
        first = self.job
        self.begin("Reduced power on the pass", ["Reduced-power mode"], "P2263 stored")
        for job in (first, self.job):
            self.workshop.day.put(job, on=True)
        self.go("/day")
        now_at = self.page.locator(".dayperson .donow a").first
        title = now_at.inner_text().lstrip("0123456789")
        following = self.page.locator(".dayperson .comes li").first
        says, before = (
            following.locator("a").inner_text().lstrip("0123456789"),
            following.locator("b").inner_text(),
        )
        self.assertEqual(self.page.locator(".overtime").count(), 0)

        self.ahead = timedelta(minutes=50)
        self.page.reload()
        self.sees("Runs over", ".dayperson")
        self.assertIn(title, self.page.locator(".dayperson .donow a").first.inner_text())
        self.assertGreater(self.begins(says), before)
        self.assertEqual(self.page.locator(".daybar.over").count(), 1)
        self.go("/")
        self.sees("runs over", ".daystrip")

        self.go("/day")
        self.page.locator(".dayperson").get_by_role("link", name="Move it").click()
        self.press("It was not begun")
        self.page.locator(".daypage").wait_for()
        self.until("() => !document.querySelector('.overtime')")

        self.page.locator(".comes a", has_text=says).first.click()
        later = self.nine + timedelta(hours=4)
        self.page.get_by_label("Not before").fill(f"{later:%Y-%m-%dT%H:%M}")
        self.press("Pin it")
        self.until("() => !document.querySelector('#asked')")
        self.assertEqual(self.begins(says), f"{later:%H:%M}")
        self.ahead = timedelta(minutes=70)
        self.page.reload()
        self.assertEqual(self.begins(says), f"{later:%H:%M}")

    def test_hours_typed_wrong_are_said_where_they_stand(self):
        self.go("/day/setup")
        form = self.page.locator("form", has=self.page.locator("input[name=name][value=Ylva]"))
        form.locator("[name=until]").fill("late")
        form.get_by_role("button", name="Keep").click()
        self.sees("is no time of day, as 07:30", "section:has(input[value=Ylva])")
        self.assertEqual(form.locator("[name=until]").input_value(), "late")

    def test_on_the_phone_the_list_says_it(self):
        self.page.set_viewport_size({"width": 390, "height": 844})
        self.workshop.day.put("demo-van-3", on=True)
        self.go("/day")
        self.assertFalse(self.page.locator(".daylanes").is_visible())
        self.page.locator(".dayperson .donow a").first.click()
        self.page.wait_for_url("**/jobs/demo-van-3/**")
