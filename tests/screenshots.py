"""Takes the pictures of the README from the demo data: python -m tests.screenshots"""

from pathlib import Path

from tests.browser.pages import shared

OUT = Path(__file__).parents[1] / "docs" / "screenshots"
VIEWS = {
    "yard": "/", "arrive": "/jobs/demo-van-3/arrive", "narrow": "/jobs/demo-van-5/narrow", "plan": "/jobs/demo-van-5/plan", "why": "/jobs/demo-van-5/why/turbo_actuator_motor", "test-card": "/jobs/demo-wagon/measure/test/vacuum_hold?node=stop_line",
    "shelf": "/shelf/faults/vane_mechanism_sticks", "glow-bench": "/jobs/demo-van-3/measure/glow", "relay-bench": "/jobs/demo-patrol/measure/relay",
    "battery-bench": "/jobs/demo-van-3/measure/battery", "cold-start": "/jobs/demo-van-3/measure/glow#margin", "decide": "/jobs/demo-van-3/decide", "fit": "/jobs/demo-old-bear/fit", "prove": "/jobs/demo-old-bear/prove", "report": "/jobs/demo-hut-bus/report",
}


def main() -> None:
    OUT.mkdir(parents=True, exist_ok=True)
    base, browser = shared()["base"], shared()["browser"]
    for name, path in [*VIEWS.items(), ("dusk", "/jobs/demo-van-3/measure/glow")]:
        page = browser.new_page(viewport={"width": 1280, "height": 800}, color_scheme="dark" if name == "dusk" else "light")
        page.goto(base + path)
        page.wait_for_load_state("networkidle")
        page.screenshot(path=OUT / f"{name}.png")
        page.close()


if __name__ == "__main__":
    main()
