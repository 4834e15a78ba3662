"""Takes the pictures of the README from the demo data: python -m tests.screenshots"""

from pathlib import Path

from playwright.sync_api import Page

from frosty_piston.store.workshop import Workshop
from tests.browser.pages import shared

OUT = Path(__file__).parents[1] / "docs" / "screenshots"
VIEWS = {
    "yard": "/",
    "day": "/day",
    "arrive": "/jobs/demo-van-3/arrive",
    "narrow": "/jobs/demo-van-5/narrow",
    "plan": "/jobs/demo-van-5/plan",
    "why": "/jobs/demo-van-5/why/turbo_actuator_motor",
    "vacuum-bench": "/jobs/demo-ridge/measure/vacuum",
    "reset-plan": "/jobs/demo-cliff-van/resets/start_inhibit",
    "filter-bench": "/jobs/demo-grit/measure/dpf",
    "shelf": "/shelf/faults/vane_mechanism_sticks",
    "glow-bench": "/jobs/demo-van-3/measure/glow",
    "injector-bench": "/jobs/demo-night-car/measure/injectors",
    "afterwards": "/training/training-demo-2/after",
    "decide": "/jobs/demo-carrier-egr/decide#for-egr_valve",
    "fit": "/jobs/demo-bus-turbo/fit",
    "prove": "/jobs/demo-mast-van/prove#drives",
    "report": "/jobs/demo-hut-bus/report",
}


def _recorded(workshop: Workshop) -> dict[str, str]:
    """The pages of recordings, whose ids are made when they come in."""
    at = {t.name: t.id for job in ("demo-bus-egr",) for t in workshop.recordings.of_job(job)}
    before, after = at["EGR before cleaning.csv"], at["EGR after cleaning.csv"]
    return {
        "recording": f"/jobs/demo-bus-egr/traces/{before}?with={after}&event=egr_position&level=30",
    }


def _exercise(page: Page, base: str) -> None:
    """An exercise that has begun: the codes read, the cover off, two tests made."""
    page.goto(f"{base}/training/new?number=130&help=on_request")
    page.get_by_role("button", name="Begin").click()
    for press in ("Read the codes, 5 min", "Engine cover off, 3 min"):
        page.get_by_role("button", name=press).click()
    for test in ("battery_rest", "glow_resistance-harness_connector"):
        row = page.locator(f"#test-{test}")
        group = page.locator("details", has=row)
        if group.get_attribute("open") is None:
            group.locator("summary").click()
        row.get_by_role("button").click()
    page.wait_for_load_state("networkidle")
    page.evaluate("scrollTo(0, 0)")


def main() -> None:
    OUT.mkdir(parents=True, exist_ok=True)
    base, browser = shared()["base"], shared()["browser"]
    for name, path in {**VIEWS, **_recorded(shared()["workshop"])}.items():
        page = browser.new_page(viewport={"width": 1280, "height": 800}, color_scheme="light")
        page.goto(base + path)
        page.wait_for_load_state("networkidle")
        if name == "recording":
            page.locator("#trace .uplot canvas").wait_for()
        page.screenshot(path=OUT / f"{name}.png")
        page.close()
    page = browser.new_page(viewport={"width": 1280, "height": 800}, color_scheme="light")
    _exercise(page, base)
    page.screenshot(path=OUT / "exercise.png")
    page.close()


if __name__ == "__main__":
    main()
