"""Recordings as scan tools write them, and files that only look like some: read, or refused with what they
are."""

import io
import unittest
import zipfile

import numpy as np

from frosty_piston.core.errors import BadInput
from frosty_piston.core.traces import signal
from frosty_piston.formats.channel_map import converted, guess, in_unit
from frosty_piston.formats.csv_recording import read_csv
from frosty_piston.formats.mdf_recording import write_mdf
from frosty_piston.formats.trace_files import read_recording, write_csv
from frosty_piston.knowledge import load_knowledge

K = load_knowledge()


def named(recording):
    return {c.name: recording.values[c.index] for c in recording.columns}


class Layouts(unittest.TestCase):
    def test_comma_and_point(self):
        r = read_csv(b"Time (s),Engine RPM [rpm],Boost [kPa]\n0,800,100.5\n0.1,810,101\n0.2,820,102\n")
        self.assertEqual([(c.name, c.unit) for c in r.columns], [("Engine RPM", "rpm"), ("Boost", "kPa")])
        self.assertEqual((r.rows, r.unread.count, float(named(r)["Boost"][0])), (3, 0, 100.5))

    def test_semicolon_decimal_comma_and_units_in_a_second_row(self):
        r = read_csv(
            "Time;Speed;Druck µ\ns;1/min;kPa\n0,0;800;100,5\n0,1;810;101,5\n0,2;820;102\n".encode("latin-1")
        )
        self.assertEqual([c.unit for c in r.columns], ["1/min", "kPa"])
        self.assertAlmostEqual(float(r.values[2][0]), 100.5)
        self.assertEqual(r.columns[1].name, "Druck µ")

    def test_utf_16_tabs_and_clock_time_past_midnight(self):
        r = read_csv("Clock\tEGR [%]\r\n23:59:59.5\t1\r\n00:00:00.0\t2\r\n00:00:00.5\t3\r\n".encode("utf-16"))
        self.assertEqual(r.times_s[0].tolist(), [0.0, 0.5, 1.0])

    def test_milliseconds_by_name_or_by_their_steps(self):
        for head in (b"Time (ms)", b"Time"):
            r = read_csv(head + b",v\n0,1\n100,2\n200,3\n300,4\n")
            self.assertAlmostEqual(float(r.times_s[0][-1]), 0.3)

    def test_moments_with_a_date(self):
        r = read_csv(
            b"Timestamp,v\n2026-01-02 10:00:00.5,1\n2026-01-02 10:00:01.0,2\n2026-01-02 10:00:01.5,3\n"
        )
        self.assertEqual(r.times_s[0].tolist(), [0.0, 0.5, 1.0])

    def test_a_preamble_quotes_repeated_headers_and_trailing_junk(self):
        r = read_csv(
            b'Exported by the tool\nVehicle: van\n\n"Time (ms)","Speed, engine'
            b' [rpm]","Gear"\n0,800,P\n100,810,P\n200,"820",D\n"Time (ms)","Speed, engine'
            b' [rpm]","Gear"\n300,830,D\n400,abc,D\n500,840\nEnd of file\n'
        )
        self.assertEqual(r.rows, 5)
        self.assertEqual(r.columns[0].name, "Speed, engine")
        self.assertEqual(r.unread.by_why["the header again"], 1)
        self.assertEqual(r.unread.by_why["text in column 'Speed, engine'"], 1)
        lines = {u.line: u.why for u in r.unread.first}
        self.assertEqual(lines[8], "the header again")
        self.assertIn("2 fields where 3 are wanted", lines[11])
        self.assertIn("End of file", [u.text for u in r.unread.first])

    def test_mixed_rates_and_pairs_of_time_and_value(self):
        r = read_csv(b"time,fast,slow\n0,1,5\n0.1,2,\n0.2,3,\n0.3,4,6\n")
        self.assertEqual([int(np.isfinite(v).sum()) for v in named(r).values()], [4, 2])
        r = read_csv(b"Time,A,Time,B\n0,1,0,5\n1,2,0.5,6\n2,3,1,7\n")
        self.assertEqual([c.time_column for c in r.columns], [0, 2])

    def test_without_a_header_the_first_rising_column_is_time(self):
        r = read_csv(b"0,1,2\n0.1,2,3\n0.2,3,4\n0.3,4,4\n")
        self.assertEqual([c.name for c in r.columns], ["column 2", "column 3"])

    def test_a_row_that_goes_back_in_time_is_set_aside_and_named(self):
        r = read_csv(b"time,v\n" + b"".join(b"%d,%d\n" % (i if i != 7 else 2, i) for i in range(12)))
        self.assertEqual(r.unread.by_why, {"the time runs backwards": 1})
        self.assertEqual(r.unread.first[0].line, 9)
        self.assertTrue(np.isnan(r.times_s[0][7]))

    def test_endless_figures_are_none(self):
        r = read_csv(b"time,v\n0,1\n1,1e400\n2,3\n")
        self.assertEqual(r.unread.count, 1)
        self.assertTrue(np.isnan(r.values[1][1]))

    def test_many_blocks_read_as_one(self):
        rows = "".join(f"{i / 50:.2f},{i % 97}.5,{-i}\n" for i in range(300_000))
        r = read_csv(("time,a,b\n" + rows + "junk\n").encode())
        self.assertEqual((r.rows, r.unread.count, r.unread.first[0].line), (300_000, 1, 300_002))
        self.assertTrue(np.array_equal(r.values[2], -np.arange(300_000, dtype=np.float32)))


class Refused(unittest.TestCase):
    def says(self, data):
        with self.assertRaises(BadInput) as caught:
            read_recording(data)
        return str(caught.exception)

    def test_each_is_told_what_it_is(self):
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w") as z:
            z.writestr("a.csv", "time,v\n0,1\n")
        for data, word in (
            (b"", "empty"),
            (packed.getvalue(), "zip"),
            (b"\x1f\x8b" + b"x" * 50, "gzip"),
            (b"%PDF-1.7", "PDF"),
            (bytes(range(256)) * 20, "no text"),
            (b"hello\nworld\n", "delimiter"),
            ((",".join(["time"] + ["c"] * 1_000_000) + "\n").encode(), "longer than"),
            ((",".join(["t"] + ["c"] * 3000) + "\n" + ",".join(["0"] * 3001) + "\n").encode() * 2, "columns"),
            (b"time,v\n9,1\n8,2\n7,3\n6,4\n", "runs backwards"),
            (b"time,v\n0,nan\n1,nan\n2,\n", "holds a figure"),
            (b"a,b\nx,y\nz,w\n", "No row of figures"),
            (b"a,b\n3,1\n1,2\n2,1\n1,4\n", "time column"),
            (b"MDF     4.10" + b"x" * 500, "MDF"),
            (b"\xff\xfe" + b"a" * 101, "UTF-16"),
        ):
            self.assertIn(word, self.says(data), data[:30])


class ThereAndBack(unittest.TestCase):
    CHANNELS = {
        "engine_speed": (signal(np.arange(0, 5, 0.1), 800 + np.arange(50.0)), "rpm"),
        "egr_position": (signal(np.arange(0, 5, 0.5), np.arange(10.0)), "percent"),
    }

    def test_csv_and_mdf(self):
        for data in (write_csv(self.CHANNELS).encode(), write_mdf(self.CHANNELS)):
            r = read_recording(data)
            for c in r.columns:
                s, unit = self.CHANNELS[c.name]
                got = signal(r.times_s[c.time_column], r.values[c.index])
                self.assertTrue(np.allclose(got.times_s, s.times_s) and np.allclose(got.values, s.values))
                self.assertEqual(c.unit, unit)


class Names(unittest.TestCase):
    def guessed(self, *names):
        rows = "\n".join(",".join([str(i)] + ["50"] * len(names)) for i in range(5))
        r = read_csv(("time [s]," + ",".join(names) + "\n" + rows + "\n").encode())
        return [m.channel for m in guess(r, K)]

    def test_several_wordings(self):
        for wording, channel in (
            ("Engine RPM [1/min]", "engine_speed"),
            ("MAF [mg/str]", "air_mass_stroke"),
            ("Boost Pressure Actual [kPa]", "manifold_pressure"),
            ("Boost pressure specified [hPa]", "manifold_pressure_target"),
            ("EGR Valve Commanded [%]", "egr_command"),
            ("EGR valve position [%]", "egr_position"),
            ("EGRPosition [%]", "egr_position"),
            ("VGT pos. [%]", "vane_position"),
            ("Turbo vane target [%]", "vane_command"),
            ("Exhaust gas temp 2 [°C]", "exhaust_temp_2"),
            ("NOx downstream [ppm]", "nox_down"),
            ("Injector balance 3 [mm3/str]", "injector_correction_3"),
            ("Accelerator pedal pos [%]", "pedal"),
            ("Colour", ""),
        ):
            self.assertEqual(self.guessed(wording), [channel], wording)

    def test_each_channel_is_given_once_to_the_name_that_fits_best(self):
        self.assertEqual(self.guessed("EGR [%]", "EGR position [%]"), ["", "egr_position"])

    def test_units_are_turned_and_wrong_ones_are_said(self):
        self.assertAlmostEqual(float(converted(np.array([1013.0]), "hPa", "kPa")[0]), 101.3)
        self.assertAlmostEqual(float(converted(np.array([212.0]), "°F", "degC")[0]), 100.0)
        self.assertAlmostEqual(float(converted(np.array([2.0]), "MPa", "bar")[0]), 20.0)
        self.assertIsNone(in_unit("V", "kPa"))
        with self.assertRaises(ValueError):
            converted(np.array([1.0]), "kPa", "rpm")
        r = read_csv(b"time [s],Engine speed [rpm]\n0,90000\n1,90000\n2,90000\n")
        self.assertIn("lies outside", guess(r, K)[0].why)
