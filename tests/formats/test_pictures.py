"""Pictures from outside: upright, small, bare; hostile ones are answered in one sentence; bundles round
trip."""

import io
import json
import os
import random
import resource
import sys
import unittest
import zipfile

import numpy as np
from PIL import Image

from frosty_piston.core.errors import BadInput
from frosty_piston.core.traces import Signal
from frosty_piston.formats import bundle
from frosty_piston.formats.child_process import BUNDLES, PICTURES, Readers
from frosty_piston.formats.picture import Mark, clean, is_clean, marked, smaller
from frosty_piston.rig.demo.pictures import bolts, connector, plug_tip, valve

TOP_LEFT = (200, 30, 30)


def taken(kind="JPEG", size=(2600, 1300), turned=1, **saved):
    """A picture with a red corner at the top left as it should be seen, turned as a camera holds it."""
    image = Image.new("RGB", size, (90, 120, 90))
    image.paste(TOP_LEFT, (0, 0, size[0] // 4, size[1] // 4))
    back = {3: Image.Transpose.ROTATE_180, 6: Image.Transpose.ROTATE_90, 8: Image.Transpose.ROTATE_270}
    held = image.transpose(back[turned]) if turned in back else image
    exif = held.getexif()
    exif[274], exif[271], exif[272] = turned, "Maker", "Telephone"
    exif.get_ifd(34853)[1] = "N"
    out = io.BytesIO()
    held.save(out, kind, exif=exif, **saved)
    return out.getvalue()


def opened(data):
    return Image.open(io.BytesIO(data))


class Cleaned(unittest.TestCase):
    def test_every_turn_of_the_camera_comes_out_upright_small_and_bare(self):
        for turned in (1, 3, 6, 8):
            with self.subTest(turned=turned):
                made = clean(taken(turned=turned))
                image = opened(made.data)
                self.assertEqual((image.size, made.width, made.height), ((2000, 1000), 2000, 1000))
                self.assertGreater(image.getpixel((40, 40))[0], 150)
                self.assertEqual(dict(image.getexif()), {})
                self.assertNotIn(b"Telephone", made.data)
                self.assertLessEqual(max(opened(made.thumb).size), 240)

    def test_kinds_and_what_is_see_through(self):
        for kind in ("PNG", "WEBP", "TIFF"):
            with self.subTest(kind):
                self.assertEqual(clean(taken(kind, (64, 32))).width, 64)
        out = io.BytesIO()
        Image.new("RGBA", (32, 32), (0, 0, 0, 0)).save(out, "PNG")
        self.assertGreater(min(opened(clean(out.getvalue()).data).getpixel((5, 5))), 250)

    def test_the_same_picture_is_the_same_bytes_and_cleaning_says_what_is_clean(self):
        given = taken()
        made = clean(given)
        self.assertEqual(made.data, clean(given).data)
        self.assertEqual((is_clean(made.data), is_clean(given), is_clean(b"no")), (True, False, False))
        self.assertFalse(is_clean(taken(size=(64, 64))))

    def test_edges_of_size(self):
        for size, says in (((8, 8), ""), ((7, 90), "smaller than 8 points")):
            out = io.BytesIO()
            Image.new("RGB", size).save(out, "PNG")
            if says:
                with self.assertRaisesRegex(BadInput, says):
                    clean(out.getvalue())
            else:
                self.assertEqual(clean(out.getvalue()).width, 8)

    def test_marks_are_drawn_on_a_copy_where_they_point(self):
        plain = clean(taken(size=(800, 400)))
        made = marked(plain.data, [Mark("arrow", 0.9, 0.1, 0.5, 0.5), Mark("circle", 0.7, 0.7, 0.75, 0.7)])
        before, after = opened(plain.data).convert("RGB"), opened(made.data).convert("RGB")
        changed = np.abs(np.asarray(before, int) - np.asarray(after, int)).sum(axis=2) > 120
        self.assertTrue(changed[195:206, 395:420].any(), "the tip")
        self.assertTrue(changed[275:285, 595:605].any(), "the ring, 40 px right of its middle")
        self.assertFalse(changed[275:285, 555:565].any(), "not inside the ring")
        self.assertFalse(changed[:, :300].any())
        self.assertLess(len(smaller(made.data, 200)), len(made.data))

    def test_the_pictures_of_the_demo_are_drawn_and_differ(self):
        drawn = [valve(1, True), valve(1, False), connector(1), plug_tip(1), bolts(1)]
        self.assertEqual(len({clean(d).data for d in drawn}), 5)
        self.assertEqual(valve(1, True), valve(1, True))


class Hostile(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.readers = Readers(PICTURES)
        cls.addClassCleanup(cls.readers.end)

    def test_each_is_one_sentence_and_the_next_one_is_read(self):
        good = taken(size=(320, 200))
        huge = io.BytesIO()
        Image.new("L", (20000, 20000)).save(huge, "PNG")
        many = io.BytesIO()
        frames = [Image.new("P", (400, 400), n) for n in range(60)]
        frames[0].save(many, "GIF", save_all=True, append_images=frames[1:])
        for name, data, says in (
            ("nothing", b"", "no picture that can be read"),
            ("text", b"<svg onload='x'/>", "kept are JPEG, PNG"),
            ("cut", good[:900], "no picture that can be read"),
            ("head of a PNG", b"\x89PNG\r\n\x1a\n" + b"\0" * 200, "no picture that can be read"),
            ("points", huge.getvalue(), "more than 80 million points"),
            ("bytes", b"\xff\xd8" + b"\0" * 25_000_001, "larger than 25 MB"),
        ):
            with self.subTest(name):
                with self.assertRaisesRegex(BadInput, says):
                    self.readers.read(data)
                self.assertEqual(self.readers.read(good).width, 320)
        self.assertEqual(self.readers.read(many.getvalue()).width, 400)
        self.assertEqual(self.readers.read(good).as_kept, False)
        self.assertEqual(self.readers.read(clean(good).data).as_kept, True)

    def test_damaged_ones_never_end_the_reader(self):
        good = bytearray(taken(size=(400, 300)))
        for seed in range(40):
            rng = np.random.default_rng(seed)
            bad = bytearray(good)
            for at in rng.integers(0, len(bad), 12):
                bad[at] = rng.integers(0, 256)
            try:
                self.readers.read(bytes(bad))
            except BadInput as error:
                self.assertLess(len(str(error)), 160)
        self.assertEqual(self.readers.read(bytes(good)).width, 400)


DAMAGED_BUNDLES = 500 if os.environ.get("PISTON_LONG") else 120


class Bundles(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.readers = Readers(BUNDLES, 1)
        cls.addClassCleanup(cls.readers.end)

    def test_what_is_packed_comes_out_the_same_to_the_last_sign(self):
        times = np.linspace(0, 1, 11)
        values = (np.sin(times) / 3).astype(np.float32).astype(np.float64)
        channels = ({"channel": "boost_actual", "unit": "mbar", "column": "Boost"},)
        one = bundle.Recorded(
            "rec-1", "pull.csv", channels, {"boost_actual": Signal(times, values)}, "pull.csv", b"a;b"
        )
        packed = bundle.pack("{}", {"a" * 64: b"jpeg"}, [one])
        self.assertEqual(packed, bundle.pack("{}", {"a" * 64: b"jpeg"}, [one]))
        with self.readers.read(packed) as out:
            self.assertEqual((out.job, out.pictures), (b"{}", ("a" * 64,)))
            self.assertEqual((out.picture("a" * 64), out.recordings), (b"jpeg", ("rec-1",)))
            back = out.recording("rec-1")
        np.testing.assert_array_equal(back.signals["boost_actual"].values, values)
        np.testing.assert_array_equal(back.signals["boost_actual"].times_s, times)
        self.assertEqual(
            (back.id, back.name, back.original, back.channels), ("rec-1", "pull.csv", b"a;b", channels)
        )

    def test_archives_that_are_none(self):
        def archive(members):
            out = io.BytesIO()
            with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as made:
                for name, data in members:
                    made.writestr(name, data)
            return out.getvalue()

        about = json.dumps({"name": "x", "channels": [{"channel": "a", "unit": "V", "column": "A"}]})
        whole = archive([(bundle.JOB, "{}")])
        for data, says in (
            (b"PK\x03\x04 and no more", "cannot be read"),
            (whole[:-30], "cannot be read"),
            (archive([("else.txt", "")]), "holds no job.fpjob.json"),
            (archive([(bundle.JOB, "{}"), ("a", b"\0" * 210_000_000)]), "larger than 800 MB unpacked"),
            (archive([(f"{n}", "") for n in range(4001)]), "at most 4000"),
            (
                archive([(bundle.JOB, "{}"), ("recordings/r/recording.json", "[")]),
                "recording r of this bundle",
            ),
            (
                archive([(bundle.JOB, "{}"), ("recordings/r/recording.json", about)]),
                "recording r of this bundle",
            ),
            (
                archive(
                    [
                        (bundle.JOB, "{}"),
                        ("recordings/r/recording.json", about),
                        ("recordings/r/0.csv", "t\n1"),
                    ]
                ),
                "the columns time_s and value",
            ),
            (
                archive(
                    [
                        (bundle.JOB, "{}"),
                        ("recordings/r/recording.json", about),
                        ("recordings/r/0.csv", "time_s,value\n2,1\n1,1\n"),
                    ]
                ),
                "times rise",
            ),
            (
                archive(
                    [
                        (bundle.JOB, "{}"),
                        ("recordings/r/recording.json", about),
                        ("recordings/r/0.csv", "time_s,value\n1,1e308\n"),
                    ]
                ),
                "a figure beyond",
            ),
        ):
            with self.subTest(says), self.assertRaisesRegex(BadInput, says):
                self.readers.read(data)
        self.assertEqual(self.readers.deaths, 0)

    def test_damaged_ones_are_one_sentence_each_or_whole(self):
        seed = random.randrange(2**31)
        drawn, times = random.Random(seed), np.linspace(0, 1, 200)
        channels = ({"channel": "boost_actual", "unit": "mbar", "column": "Boost"},)
        signals = {"boost_actual": Signal(times, np.cos(times))}
        one = bundle.Recorded("rec-1", "pull.csv", channels, signals, "pull.csv", b"a;b" * 300)
        packed = bundle.pack("{}" * 400, {"a" * 64: bytes(range(256)) * 8}, [one])
        refused = 0
        for number in range(DAMAGED_BUNDLES):
            bad = bytearray(packed)
            for _ in range(drawn.choice((1, 1, 4, 40))):
                bad[drawn.randrange(len(bad))] = drawn.randrange(256)
            if number % 5 == 0:
                del bad[drawn.randrange(len(bad)) :]
            try:
                self.readers.read(bytes(bad)).__exit__()
            except BadInput as error:
                refused += 1
                self.assertEqual(len(str(error).splitlines()), 1, (seed, number))
        print(f"damaged bundles: {DAMAGED_BUNDLES} of seed {seed}, {refused} refused", file=sys.stderr)
        self.assertGreater(refused, DAMAGED_BUNDLES // 2)

    def test_what_unpacks_to_gigabytes_costs_the_server_nothing(self):
        about = json.dumps({"name": "x", "channels": [{"channel": "a", "unit": "V", "column": "A"}]})
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as made:
            made.writestr(bundle.JOB, "{}")
            made.writestr("recordings/r/recording.json", about)
            made.writestr("recordings/r/0.csv", "time_s,value\n" + "0,0\n" * 12_000_000)
        before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        with self.assertRaises(BadInput):
            self.readers.read(out.getvalue())
        grown_mb = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024
        self.assertLess(grown_mb, 50)


if __name__ == "__main__":
    unittest.main()
