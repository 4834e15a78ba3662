"""Pictures of a job in the pages: brought in, shown where they belong, marked, on the report, in a bundle."""

import io
import json
import re
import tempfile
import unittest
from uuid import uuid4

from PIL import Image
from pypdf import PdfReader

from frosty_piston.bundles import opening, read_bundle, write_bundle
from frosty_piston.core.errors import BadInput
from frosty_piston.formats.bundle import pack
from frosty_piston.store.pictures import hash_of
from frosty_piston.store.workshop import Workshop
from tests.cases import entry, job_file, symptom
from tests.formats.test_pictures import taken
from tests.made import empty_into
from tests.web.test_api import WithClient


class WithPictures(WithClient):
    def setUp(self):
        super().setUp()
        warning = entry("warning", text="brake line bodged", urgency="stop")
        self.workshop.tapes.import_file(json.dumps(job_file(symptom("no_start"), warning)).encode())
        self.addCleanup(self.client.app.state.pictures.end)

    def send(self, *files, key=None, **more):
        data = {"entry_id": key or str(uuid4()), "shows": "find", "note": "", **more}
        return self.client.post("/jobs/case/pictures", data=data, files=[("file", f) for f in files])

    def pictures(self):
        return [x for x in self.workshop.tapes.job("case").job.live if x.kind == "picture"]

    def seen(self, colour=(10, 90, 160)):
        out = io.BytesIO()
        Image.new("RGB", (400, 300), colour).save(out, "JPEG")
        return out.getvalue()


class BroughtIn(WithPictures):
    def test_several_at_once_stand_beside_what_they_show(self):
        answer = self.send(
            ("a.jpg", taken()), ("b.png", self.seen()), shows="warning", about="e2", note="left front"
        )
        self.assertEqual(answer.status_code, 303)
        first, second = self.pictures()
        self.assertEqual((first.data.about, first.data.shows, first.data.paper), ("e2", "warning", True))
        tape = self.client.get("/jobs/case/tape").text
        row = re.search(r'<li id="entry-e2".*?</li>', tape, re.S)[0]
        self.assertEqual(row.count("/small.jpg"), 2)
        self.assertIn("/small.jpg", self.client.get("/jobs/case/decide").text)
        shown = self.client.get(f"/pictures/{second.data.image}.jpg")
        self.assertEqual(
            (shown.headers["content-type"], shown.headers["cache-control"][:6]), ("image/jpeg", "public")
        )
        self.assertLess(
            len(self.client.get(f"/pictures/{second.data.image}/small.jpg").content), len(shown.content)
        )

    def test_the_same_picture_is_kept_once_and_the_same_press_writes_once(self):
        key = str(uuid4())
        for _ in range(2):
            self.assertEqual(self.send(("a.jpg", self.seen()), key=key).status_code, 303)
        self.send(("again.jpg", self.seen()))
        self.assertEqual(len(self.pictures()), 1)
        self.send(("again.jpg", self.seen()), about="e2")
        self.assertEqual(len({x.data.image for x in self.pictures()}), 1)
        self.assertEqual(len(self.pictures()), 2)

    def test_one_that_cannot_be_read_does_not_lose_the_others_nor_what_was_typed(self):
        answer = self.send(("good.jpg", self.seen()), ("bad.jpg", b"no picture"), note="tip swollen")
        self.assertEqual(answer.status_code, 422)
        self.assertIn("bad.jpg: This is no picture that can be read", answer.text)
        self.assertIn("tip swollen", answer.text)
        self.assertEqual(len(self.pictures()), 1)

    def test_what_cannot_be_is_said(self):
        for files, more, status, says in (
            ((), {}, 422, "choose a picture, or take one"),
            ((("a.jpg", self.seen()),), {"shows": "moon"}, 422, "choose one of"),
            ((("a.jpg", self.seen()),), {"about": "nothing"}, 422, "about"),
            ((("a.jpg", self.seen()),), {"note": "x" * 201}, 422, "at most 200 are kept"),
            (tuple((f"{n}.jpg", b"x") for n in range(13)), {}, 400, ""),
        ):
            with self.subTest(more=more, files=len(files)):
                answer = self.send(*files, **more)
                self.assertEqual(answer.status_code, status)
                self.assertIn(says, answer.text)
        self.assertEqual(self.pictures(), [])
        self.assertEqual(self.client.get(f"/pictures/{'0' * 64}.jpg").status_code, 404)

    def test_forty_pictures_cost_a_page_one_question_and_no_picture(self):
        for n in range(40):
            self.workshop.tapes.write("case", [{"id": f"p{n}", **entry("picture", image=f"{n:064x}")}], None)
        page = self.client.get("/jobs/case/pictures").text
        self.assertEqual(page.count("The file came without this picture."), 40)


class Marked(WithPictures):
    def setUp(self):
        super().setUp()
        self.send(("a.jpg", self.seen()), shows="part", note="valve")
        self.one = self.pictures()[0]

    def form(self, name, **data):
        sent = {"entry_id": str(uuid4()), **data}
        return self.client.post(f"/jobs/case/pictures/{self.one.id}/{name}", data=sent)

    def test_marks_go_on_a_copy_by_hand_and_by_field(self):
        self.form("mark", marks="arrow 0.1 0.1 0.5 0.5\ncircle 0.6 0.6 0.7 0.6", note="here")
        self.form("mark", kind="circle", place="B2")
        first, by_hand, by_field = self.pictures()
        self.assertEqual(
            (by_hand.data.copy_of, by_hand.data.note, by_hand.data.paper), (first.data.image, "here", True)
        )
        self.assertEqual(len({x.data.image for x in (first, by_hand, by_field)}), 3)

    def test_marks_that_are_none(self):
        for data, says in (
            ({}, "draw on the picture, or choose a field"),
            ({"marks": "arrow 2 0 0 0"}, "these marks cannot be read"),
            ({"place": "Z9"}, "a field from A1 to H6 is wanted"),
            ({"marks": "\n".join(["circle 0.1 0.1 0.2 0.2"] * 9)}, "at most 8 marks"),
        ):
            with self.subTest(data=data):
                answer = self.form("mark", **data)
                self.assertEqual(answer.status_code, 422)
                self.assertIn(says, answer.text)
        self.assertEqual(len(self.pictures()), 1)

    def test_on_the_report_and_off_it_and_in_its_pdf(self):
        def images():
            pdf = PdfReader(io.BytesIO(self.client.get("/jobs/case/report.pdf").content))
            return sum(len(page.images) for page in pdf.pages)

        self.assertEqual(
            (images(), "reportpictures" in self.client.get("/jobs/case/report").text), (0, False)
        )
        self.form("paper", on="yes")
        self.assertEqual((images(), "reportpictures" in self.client.get("/jobs/case/report").text), (1, True))
        self.one = self.pictures()[0]
        self.form("paper", on="no")
        self.assertEqual(images(), 0)

    def test_a_marked_copy_stands_for_its_picture_on_the_report(self):
        self.form("paper", on="yes")
        self.one = self.pictures()[0]
        self.form("mark", place="C3", kind="arrow")
        page = self.client.get("/jobs/case/report").text
        self.assertIn(self.pictures()[-1].data.image, page)
        self.assertNotIn(self.one.data.image, page)


class Bundled(WithPictures):
    def other(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        other = Workshop(empty_into(folder.name))
        self.addCleanup(other.close)
        return other

    def test_out_and_in_again_with_its_pictures_and_once(self):
        self.send(("a.jpg", self.seen()))
        key = self.pictures()[0].data.image
        data = self.client.get("/api/v1/jobs/case/bundle").content
        self.assertEqual(data, write_bundle(self.workshop, "case"))
        other, readers = self.other(), opening()
        self.addCleanup(readers.end)
        self.assertEqual(read_bundle(other, data, readers), ("case", True))
        self.assertEqual(read_bundle(other, data, readers), ("case", False))
        self.assertEqual(other.pictures.data(key), self.workshop.pictures.data(key))
        self.assertEqual(write_bundle(other, "case"), data)

    def test_a_job_file_without_its_pictures_says_so_and_a_bundle_mends_it(self):
        self.send(("a.jpg", self.seen()))
        plain = self.client.get("/api/v1/jobs/case").content
        data = write_bundle(self.workshop, "case")
        self.assertNotIn(b"/9j/", plain)
        self.workshop = self.other()
        self.workshop.tapes.import_file(plain)
        self.client.app.state.workshop = self.workshop
        self.assertIn("without this picture", self.client.get("/jobs/case/pictures").text)
        sent = self.client.post("/api/v1/jobs", content=data, headers={"content-type": "application/zip"})
        self.assertEqual((sent.status_code, sent.json()), (200, {"id": "case"}))
        self.assertNotIn("without this picture", self.client.get("/jobs/case/pictures").text)

    def test_pictures_that_were_changed_or_hold_more_are_refused_whole(self):
        self.send(("a.jpg", self.seen()))
        key, plain = self.pictures()[0].data.image, self.client.get("/api/v1/jobs/case").text
        other = self.other()
        readers = opening()
        self.addCleanup(readers.end)
        dirty = taken(size=(90, 60))
        for pictures, text, says in (
            ({key: self.seen((1, 2, 3))}, plain, "not the one that its name says"),
            ({hash_of(dirty): dirty}, plain.replace(key, hash_of(dirty)), "holds more than a picture"),
            ({hash_of(b"x"): b"x"}, plain.replace(key, hash_of(b"x")), "no picture that can be read"),
        ):
            file = json.loads(text)
            file.pop("chain")
            with self.subTest(says), self.assertRaisesRegex(BadInput, says):
                read_bundle(other, pack(json.dumps(file), pictures, []), readers)
        self.assertEqual(other.yard.count(), 0)


if __name__ == "__main__":
    unittest.main()
