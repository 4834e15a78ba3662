"""Files from outside are read apart: whatever one does, it is answered in a sentence, nobody else waits."""

import io
import os
import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
from asammdf import MDF, Signal

from frosty_piston.core.errors import BadInput
from frosty_piston.formats import child_process
from frosty_piston.formats.child_process import RECORDINGS, Reader, Readers
from frosty_piston.formats.csv_recording import read_csv

ROWS = [b"%d,%d" % (i, i * 3 % 7) for i in range(40)]
DAMAGED = int(os.environ.get("PISTON_DAMAGED", "200"))
# Readers that fail as a library might: module, what it does.
FAILING = {
    "crashes": "os.kill(os.getpid(), 11)",
    "aborts": "os.abort()",
    "leaves": "sys.exit(0)",
    "babbles": "s.sendall(b'{' * 5_000_000)",
    "talks_nonsense": "s.sendall(b'nonsense\\n')",
    "hangs": "time.sleep(600)",
}


def recorded(compression=0):
    """An MDF file with two rates, a text channel and a compressed block where asked."""
    with MDF(version="4.10") as file:
        t = np.arange(0, 20, 0.05)
        file.append(
            [
                Signal(np.sin(t) * 50, t, name="EGR position", unit="%"),
                Signal((800 + t).astype(np.uint16), t, name="Engine speed", unit="rpm"),
            ]
        )
        slow = np.arange(0, 20, 1.0)
        file.append([Signal(slow.astype(np.float32), slow, name="Coolant", unit="°C")])
        file.append([Signal(np.array([b"a", b"bc"] * 10), slow, name="Gear", encoding="utf-8")])
        out = io.BytesIO()
        file.save(out, compression=compression)
    return out.getvalue()


class CrookedText(unittest.TestCase):
    """Every line is a row, or is counted as unread with its line."""

    def read(self, *lines, end=b"\n"):
        return read_csv(end.join((b"time,v", *lines)) + end)

    def test_line_ends_of_every_kind_lose_no_row(self):
        for end in (b"\n", b"\r\n", b"\r", b"\r\r\n"):
            r = self.read(*ROWS, end=end)
            self.assertEqual((r.rows, r.unread.count), (40, 0), end)

    def test_signs_that_some_take_for_line_ends_stay_in_their_line(self):
        for sign in ("\x0b", "\x0c", "\x1c", "\x85", "\u2028", "\u2029"):
            crooked = f"17,4{sign}".encode()
            r = self.read(*ROWS[:17], crooked, *ROWS[18:])
            self.assertEqual((r.rows, len(r.values[1])), (40, 40), repr(sign))
            r = self.read(*ROWS[:17], f"17{sign}18,4,5".encode(), *ROWS[18:])
            self.assertEqual((r.rows, r.unread.count, r.unread.first[0].line), (39, 1, 19), repr(sign))

    def test_an_open_quote_costs_its_own_line(self):
        for line in (b'9,"5', b'"9,5', b'9,"5"x"', b'9,5" x 3"'):
            r = self.read(*ROWS[:9], line, *ROWS[10:])
            self.assertEqual(r.rows + r.unread.count >= 40 and r.rows >= 39, True, line)
        r = self.read(*ROWS[:9], b'9,"5', *ROWS[10:])
        self.assertEqual((r.rows, r.unread.first[0].line), (39, 11))
        self.assertIn("not closed", r.unread.first[0].why)

    def test_quoted_cells_with_the_delimiter_in_them(self):
        r = read_csv(b"time,v\n" + b"".join(b'"%d,5","%d,25"\n' % (i, i) for i in range(10)))
        self.assertEqual(r.times_s[0].tolist(), [float(i) for i in range(10)])
        self.assertAlmostEqual(float(r.values[1][3]), 3.25)

    def test_zero_bytes_and_endless_lines_are_counted(self):
        rows = [b"%d,%d" % (i, i) for i in range(2000)]
        rows[1200], rows[1500] = b"1200,\x003", b"1500," + b"9" * 1_100_000
        r = self.read(*rows)
        self.assertEqual((r.rows, r.unread.count), (1999, 2))
        self.assertEqual([u.line for u in r.unread.first], [1202, 1502])
        self.assertTrue(np.isnan(r.values[1][1499]))

    def test_comma_and_point_mixed(self):
        r = read_csv(
            b"time;v\n" + b"".join(b"%d,5;%s\n" % (i, b"1.5" if i % 3 else b"1,5") for i in range(30))
        )
        self.assertEqual(r.rows, 30)
        r = read_csv(b"time;v\n" + b"".join(b"%d;%s\n" % (i, b"1.5" if i % 3 else b"1,5") for i in range(30)))
        self.assertEqual(r.rows, 30)

    def test_names_of_any_length_are_read_in_a_moment(self):
        r = read_csv(b"time,v(" + b" " * 300_000 + b"x\n" + b"\n".join(ROWS))
        self.assertEqual(r.rows, 40)
        self.assertEqual(
            [c.unit for c in read_csv(b"time,v (kPa) [bar]\n" + b"\n".join(ROWS)).columns], ["bar"]
        )

    def test_too_wide_or_too_long_is_said(self):
        for data, word in (
            (b"\n".join([b",".join([b"1"] * 120_000)] * 4), "columns"),
            (b"time,v\n" + b"\n".join([b"1," + b"9" * 200_000] * 4), "No"),
        ):
            with self.assertRaises(BadInput) as caught:
                read_csv(data)
            self.assertIn(word, str(caught.exception))


class Apart(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.readers = Readers(RECORDINGS)
        cls.addClassCleanup(cls.readers.end)

    def failing(self, act):
        """Readers of which each says it is ready and then fails in one way."""
        folder = self.enterContext(tempfile.TemporaryDirectory())
        script = (
            "import os, socket, sys, time\n"
            "s = socket.socket(fileno=int(sys.argv[1]))\n"
            f"s.sendall(b'ready\\n')\nsocket.recv_fds(s, 64, 2)\n{act}\n"
        )
        (Path(folder) / "piston_failing_reader.py").write_text(script)
        self.enterContext(mock.patch.dict(os.environ, PYTHONPATH=folder))
        readers = Readers(RECORDINGS, start=lambda: Reader(RECORDINGS, "piston_failing_reader"))
        self.addCleanup(readers.end)
        return readers

    def test_it_reads_what_the_reader_itself_reads(self):
        data = (
            b"time [s],Engine speed [rpm],x\n"
            + b"".join(b"%d,80%d,\n" % (i, i % 9) for i in range(50))
            + b"junk\n"
        )
        here, there = read_csv(data), self.readers.read(data)
        self.assertEqual(
            (here.columns, here.rows, here.notes, here.layout),
            (there.columns, there.rows, there.notes, there.layout),
        )
        self.assertEqual(here.unread, there.unread)
        for one, other in ((here.times_s, there.times_s), (here.values, there.values)):
            self.assertEqual(one.keys(), other.keys())
            self.assertTrue(all(np.array_equal(one[i], other[i], equal_nan=True) for i in one))

    def test_its_limits_are_set(self):
        reader = self.readers._taken()
        self.addCleanup(self.readers._idle.put, reader)
        reader.read(b"time,v\n" + b"\n".join(ROWS))
        limits = Path(f"/proc/{reader.process.pid}/limits").read_text()
        for name, most in (
            ("Max address space", 2 * 2**30),
            ("Max file size", 2**30),
            ("Max core file size", 0),
        ):
            line = next(x for x in limits.splitlines() if x.startswith(name))
            self.assertEqual(line[len(name) :].split()[0], str(most))
        cpu = next(x for x in limits.splitlines() if x.startswith("Max cpu time"))
        self.assertLess(int(cpu.split()[3]), 120)

    def test_whatever_a_reader_does_is_one_sentence_about_the_file(self):
        for name, act in FAILING.items():
            with self.subTest(name), mock.patch.object(child_process, "MOST_WALL_S", 1.0):
                with self.assertRaises(BadInput) as caught:
                    self.failing(act).read(b"time,v\n0,1\n")
                self.assertRegex(str(caught.exception), "^This file (cannot be read|takes longer)")

    def test_a_reader_that_never_comes_up_is_one_sentence_too(self):
        readers = Readers(RECORDINGS, start=lambda: Reader(RECORDINGS, "piston_no_such_reader"))
        self.addCleanup(readers.end)
        with self.assertRaises(BadInput) as caught:
            readers.read(b"time,v\n0,1\n")
        self.assertIn("cannot be read", str(caught.exception))

    def test_the_next_file_is_read_by_a_new_reader(self):
        readers = Readers(RECORDINGS)
        self.addCleanup(readers.end)
        data = b"time,v\n" + b"\n".join(ROWS)
        self.assertEqual(readers.read(data).rows, 40)
        for reader in readers._all:
            reader.process.kill()
            reader.process.wait()
        self.assertEqual(readers.read(data).rows, 40)

    def test_damaged_recordings(self):
        """Bytes turned, cut and doubled in files of every kind of block: an answer to each, in a sentence."""
        rng = np.random.default_rng(11)
        whole = [recorded(c) for c in (0, 1, 2)] + [b"time,v\n" + b"\n".join(ROWS)]
        refused, read = 0, 0
        for n in range(DAMAGED):
            data = bytearray(whole[n % len(whole)])
            for _ in range(int(rng.integers(1, 12))):
                data[int(rng.integers(64 if n % 2 else 0, len(data)))] = int(rng.integers(256))
            if n % 7 == 0:
                del data[int(rng.integers(len(data))) :]
            try:
                self.readers.read(bytes(data))
                read += 1
            except BadInput as error:
                refused += 1
                self.assertGreater(len(str(error)), 10)
        self.assertEqual(self.readers.read(whole[0]).rows, 400)
        print(
            f"damaged recordings: {DAMAGED} files, {read} read, {refused} refused,"
            f" {self.readers.deaths} readers ended",
            file=sys.stderr,
        )


if __name__ == "__main__":
    unittest.main()
