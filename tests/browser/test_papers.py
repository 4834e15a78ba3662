"""A parts order that closes the wait of its job; papers to print."""

from datetime import timedelta
from pathlib import Path

from frosty_piston.store.timestamps import now
from tests.browser.test_any_job import AnyJob


class PartsOrder(AnyJob):
    def test_from_the_pick_to_the_part_that_ends_the_wait(self):
        self.begin("Hard start, white smoke", ["Hard start when cold"])
        self.finds("glow_resistance", value="OL", place="plug")
        self.decide("glow_dead")
        self.at("papers")
        self.page.get_by_role("link", name="Order parts").click()
        self.sees("The picked work takes", "#form-want")
        vehicle = self.page.locator("#want-job option:checked").inner_text()
        self.press("Put on the order", "#form-want")
        rows = self.page.locator(".orderlist li", has_text=vehicle)
        rows.first.wait_for()
        due = (now() + timedelta(days=2)).astimezone()
        while (form := rows.locator("form.orderform")).count():
            left = form.count()
            form.first.locator("[name=due]").fill(f"{due:%Y-%m-%dT%H:%M}")
            form.first.get_by_role("button", name="It is ordered").click()
            self.page.wait_for_load_state()
            self.until("() => document.querySelector('.orderspage')")
            self.assertLess(rows.locator("form.orderform").count(), left)
        self.at("fit")
        self.sees("Wait for parts", "#waits")

        self.go(f"/orders?job={self.job}")
        while rows.count():
            left = rows.count()
            rows.first.get_by_role("button", name="It is here").click()
            self.page.wait_for_load_state()
            self.until("() => document.querySelector('.orderspage')")
            self.assertLess(rows.count(), left)
        self.at("fit")
        self.assertEqual(self.page.locator("#waits .waiting").count(), 0)
        seen = [x.data.seen for x in self.workshop.tapes.job(self.job).job.live if x.kind == "wait"]
        self.assertTrue(any(s and s.startswith("arrived: ") for s in seen))


class OnPaper(AnyJob):
    def test_a_warning_to_sign_from_where_it_was_written(self):
        self.begin("Brakes looked at by the way", ["Hard start when cold"])
        self.at("decide")
        form = self.page.locator("#form-warning")
        form.locator("[name=text]").fill("brake line bodged with a hose clamp")
        form.get_by_role("button").last.click()
        self.sees("bodged", "#tape")
        self.at("papers")
        self.page.get_by_role("link", name="Written warning").click()
        self.sees("Owner or driver", ".signlines")
        self.sees("Skerry rescue workshop", ".letterhead")
        with self.page.expect_download() as paper:
            self.page.get_by_role("link", name="PDF").click()
        self.assertTrue(Path(paper.value.path()).read_bytes().startswith(b"%PDF"))
