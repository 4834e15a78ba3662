"""A picture from arrival to report and through a bundle; one that is taken while the server is away."""

import io
import tempfile
import unittest
from pathlib import Path

from PIL import Image

from frosty_piston.bundles import opening, read_bundle
from frosty_piston.job.entries import Picture
from frosty_piston.rig.demo.pictures import plug_tip, valve
from frosty_piston.store.database import open_database
from frosty_piston.store.workshop import Workshop
from tests.browser.test_any_job import AnyJob
from tests.browser.test_offline import Away


def file(name, data):
    return {"name": name, "mimeType": "image/jpeg", "buffer": data}


class FromArrivalToReport(AnyJob):
    def test_taken_marked_on_the_report_and_in_another_workshop(self):
        self.begin("Hard start, white smoke", ["Hard start when cold"])
        self.page.locator("#tape li", has_text="Hard start").first.get_by_role("link", name="Picture").click()
        self.sees("Belongs to:", ".shoot")
        self.page.locator("#picture-file").set_input_files(
            [file("tip.jpg", plug_tip(1)), file("valve.jpg", valve(1, True))]
        )
        self.page.get_by_label("What is seen").fill("tip of plug 2")
        self.press("Keep", "#form-picture")
        self.page.locator(".gallery li").nth(1).wait_for()
        self.assertEqual(self.page.locator("#tape .thumb").count(), 4)
        self.until("() => [...document.querySelectorAll('.gallery img')].every((i) => i.naturalWidth > 0)")

        self.page.locator(".gallery a").last.click()
        place = self.page.locator(".markplace")
        place.wait_for()
        box = place.bounding_box()
        for x, y in ((0.4, 0.2), (0.8, 0.5)):
            place.click(position={"x": box["width"] * x, "y": box["height"] * y})
        self.page.locator(".drawnmarks path").wait_for(state="attached")
        self.press("Keep the marked copy")
        self.sees("Marked picture of what was found: tip of plug 2", "#tape")

        self.at("report")
        self.assertEqual(self.page.locator(".reportpictures img").count(), 2)
        self.sees("What was found: tip of plug 2", ".reportpictures")
        with self.page.expect_download() as brought:
            self.page.get_by_role("link", name="With pictures and recordings").click()
        data = Path(brought.value.path()).read_bytes()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        other, readers = Workshop(open_database(Path(folder.name))), opening()
        self.addCleanup(other.close)
        self.addCleanup(readers.end)
        self.assertEqual(read_bundle(other, data, readers), (self.job, True))
        images = [x.data.image for x in other.tapes.job(self.job).job.of(Picture)]
        self.assertEqual(len(images), 3)
        for image in images:
            self.assertEqual(Image.open(io.BytesIO(other.pictures.data(image))).size, (800, 600))

    def test_what_is_no_picture_is_said_under_the_field(self):
        self.begin("Hard start, white smoke", ["Hard start when cold"])
        self.at("pictures")
        self.page.locator("#picture-file").set_input_files([file("notes.jpg", b"only words")])
        self.press("Keep", "#form-picture")
        self.sees("notes.jpg: This is no picture that can be read", "#form-picture")


class TakenWhileAway(Away):
    def test_it_waits_on_this_device_and_is_sent_once(self):
        job = "demo-patrol"
        self.go(f"/jobs/{job}/pictures")
        self.away()
        self.page.locator("#picture-file").set_input_files([file("tip.jpg", plug_tip(7))])
        self.page.get_by_label("What is seen").fill("under the bonnet")
        self.press("Keep", "#form-picture")
        self.sees("Kept here, will send: Picture: tip.jpg", "#form-picture")
        self.here()
        self.sees("under the bonnet", ".gallery")
        kept = [x for x in self.workshop.tapes.job(job).job.of(Picture) if x.data.note == "under the bonnet"]
        self.assertEqual(len(kept), 1)
        self.assertEqual(len(self.workshop.pictures.sizes([kept[0].data.image])), 1)


if __name__ == "__main__":
    unittest.main()
