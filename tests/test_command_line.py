"""The command line as people and scripts use it."""

import contextlib
import http.client
import io
import json
import os
import shutil
import signal
import socket
import sqlite3
import ssl
import subprocess
import sys
import tempfile
import unittest
import urllib.request
from contextlib import closing
from pathlib import Path
from unittest import mock

from frosty_piston.benchmarks.load import benchmark_load
from frosty_piston.cli import main
from frosty_piston.job.tape.jobfile import canonical, chain_of
from frosty_piston.settings import Settings
from tests.cases import job_file, meter, plugs, symptom
from tests.made import demo_into

ROOT = Path(__file__).parents[1]
TLS = ROOT / "tests" / "tls"


PISTON = (sys.executable, "-m", "frosty_piston")
NOT_INSTALLED = shutil.ignore_patterns("__pycache__", "fonts", "*.js")


def run(*args, stdin=b""):
    """One command in this process, as the launcher gives it its words: code, output, complaints."""
    given, out, err = io.BytesIO(stdin), io.StringIO(), io.StringIO()
    with (
        mock.patch.object(sys, "stdin", io.TextIOWrapper(given)),
        contextlib.redirect_stdout(out),
        contextlib.redirect_stderr(err),
    ):
        try:
            code = main([str(arg) for arg in args])
        except SystemExit as ended:
            code = ended.code
    return code, out.getvalue(), err.getvalue()


def run_alone(*args, stdin=b""):
    """One command in a process of its own."""
    done = subprocess.run(
        [*PISTON, *map(str, args)],
        input=stdin,
        capture_output=True,
        cwd=ROOT,
        timeout=60,
    )
    return done.returncode, done.stdout.decode(), done.stderr.decode()


class Files(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def write(self, value, name="job.fpjob.json"):
        path = self.folder / name
        path.write_text(json.dumps(value))
        return path

    def test_assess_prints_json_and_says_what_is_wrong_on_the_other_side(self):
        good = self.write(job_file(symptom("hard_start_cold"), meter(), *plugs([1.0, "OL", 1.0, 1.0])))
        code, out, err = run_alone("assess", good)
        self.assertEqual((code, err), (0, ""))
        self.assertEqual(json.loads(out)["suspects"][0]["fault"], "glow_plugs_open")
        self.assertEqual(run("assess", "-", stdin=good.read_bytes())[1], out)
        code, out, err = run("assess", self.write(job_file(symptom("nope"))))
        self.assertEqual((code, out), (2, ""))
        self.assertIn("entries[0].data.symptom", err)
        self.assertNotIn("Traceback", err)

    def test_one_job_a_line_answers_one_line_each_in_order(self):
        jobs = [
            job_file(symptom("hard_start_cold"), job_id="a"),
            job_file(symptom("nope"), job_id="b"),
            "not a job",
            job_file(symptom("no_boost"), job_id="c"),
        ]
        lines = "\n\n".join(json.dumps(j) for j in jobs) + "\n{broken\n"
        code, out, err = run("assess", "--lines", stdin=lines.encode())
        answers = [json.loads(line) for line in out.splitlines()]
        self.assertEqual((code, err, len(answers)), (0, "", 5))
        self.assertEqual(
            [a.get("format", "error") for a in answers],
            ["frosty-piston/assessment", "error", "error", "frosty-piston/assessment", "error"],
        )
        self.assertEqual(answers[1]["error"]["faults"][0]["path"], "entries[0].data.symptom")
        self.assertIn("says", answers[4]["error"])
        self.assertEqual(run("assess")[0], 2)

    def test_missing_and_broken_files_are_one_sentence(self):
        for args, stdin in (
            (("assess", self.folder / "nope"), b""),
            (("assess", self.folder), b""),
            (("assess", "-"), b"\xff\xfe"),
            (("export", "nope", "--data", self.folder / "w"), b""),
        ):
            code, out, err = run(*args, stdin=stdin)
            self.assertEqual((code, out), (2, ""), args)
            self.assertEqual(len(err.strip().splitlines()), 1, err)

    def test_import_and_export_give_back_the_same_bytes(self):
        raw = job_file(symptom("hard_start_cold"), meter(), *plugs([1.0, "OL", 1.0, 1.0]))
        path = self.write(raw)
        data = self.folder / "w"
        self.assertIn("imported as case", run("import", path, "--data", data)[1])
        self.assertIn("already here", run("import", path, "--data", data)[1])
        sealed = {**raw, "chain": chain_of(raw["entries"])}
        self.assertEqual(run("export", "case", "--data", data)[1], canonical(sealed))
        run("export", "case", "--data", data, "--out", self.folder / "out.json")
        self.assertEqual((self.folder / "out.json").read_text(), canonical(sealed))
        bundle = self.folder / "case.zip"
        self.assertEqual(run("export", "case", "--data", data, "--bundle", bundle)[0], 0)
        self.assertIn("imported as case", run("import", bundle, "--data", self.folder / "other")[1])
        self.assertEqual(run("export", "case", "--data", self.folder / "other")[1], canonical(sealed))
        bundle.write_bytes(bundle.read_bytes()[:-40])
        code, _, wrong = run("import", bundle, "--data", self.folder / "other")
        self.assertEqual((code, wrong.count("\n")), (2, 1))
        self.assertIn("This bundle cannot be read", wrong)

    def test_help_and_unknown_words(self):
        code, out, _ = run("--help")
        self.assertEqual(code, 0)
        for word in ("demo", "serve", "assess", "import", "export", "bench", "test"):
            self.assertIn(word, out)
        self.assertEqual(run("nonsense")[0], 2)
        self.assertEqual(run("bench", "--only", "nonsense")[0], 2)
        self.assertEqual(run()[0], 0)


class Starting(unittest.TestCase):
    def test_the_environment_is_read_and_what_cannot_be_is_named(self):
        with tempfile.TemporaryDirectory() as folder:
            env = {**os.environ, "PISTON_DATA": folder, "PISTON_PORT": "8500"}
            told = subprocess.run(
                [*PISTON, "serve", "--help"], env=env, capture_output=True, text=True
            ).stdout
            self.assertIn(f"{folder}/serve", "".join(told.split()))
            self.assertIn("(default 8500)", told)
        for name, value in (("PORT", "99999"), ("PORT", "x"), ("LOG_LEVEL", "loud")):
            env = {**os.environ, f"PISTON_{name}": value}
            done = subprocess.run([*PISTON, "serve"], env=env, capture_output=True, text=True)
            self.assertEqual(done.returncode, 2)
            self.assertRegex(done.stderr, rf"^PISTON_{name}: .*{value}'?\.\n$")

    def test_every_setting_stands_in_the_table(self):
        table = (ROOT / "docs" / "running.md").read_text()
        for name in Settings.model_fields:
            self.assertIn(f"| `PISTON_{name.upper()}` |", table)

    def test_an_installed_package_keeps_its_data_with_the_user_and_shows_no_command_of_a_checkout(self):
        with tempfile.TemporaryDirectory() as folder:
            shutil.copytree(ROOT / "frosty_piston", Path(folder) / "frosty_piston", ignore=NOT_INSTALLED)
            env = {**os.environ, "PYTHONPATH": folder, "XDG_DATA_HOME": "/somewhere"}
            told = subprocess.run(
                [*PISTON, "serve", "--help"], env=env, cwd=folder, capture_output=True, text=True
            )
            self.assertIn("/somewhere/frosty-piston/serve", "".join(told.stdout.split()))
            told = subprocess.run([*PISTON, "--help"], env=env, cwd=folder, capture_output=True, text=True)
            self.assertNotIn("quality", told.stdout)
            self.assertIn("backup", told.stdout)

    def test_a_start_loads_none_of_the_large_libraries(self):
        told = "import sys, frosty_piston.web.frame.serving; print(*sys.modules)"
        done = subprocess.run(
            [sys.executable, "-c", told], cwd=ROOT, capture_output=True, text=True, check=True
        )
        loaded = set(done.stdout.split())
        self.assertIn("frosty_piston.formats.bundle", loaded)
        self.assertEqual(loaded & {"pandas", "ortools", "typst", "fontTools", "scipy"}, set())


class Benchmarks(unittest.TestCase):
    def test_the_trust_in_the_reasoning_is_measured_from_a_seed(self):
        code, out, _ = run("bench", "--only", "trust", "--vehicles", 4, "--seed", 5)
        self.assertEqual(code, 0)
        self.assertIn("4 simulated vehicles, seed 5", out)
        for line in (
            "right repair first",
            "both of two in the first three",
            "healthy accused",
            "minutes, mean",
        ):
            self.assertIn(line, out)


class ManyWriters(unittest.TestCase):
    def test_forty_writers_are_all_answered(self):
        for load in benchmark_load(each=3):
            self.assertEqual(dict(load.answers), {201: load.writers * 3})


class WithServer(unittest.TestCase):
    def start(self, *args, scheme="http://127.0.0.1:"):
        server = subprocess.Popen(
            [sys.executable, "-m", "frosty_piston", *map(str, args)],
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            cwd=ROOT,
            env={**os.environ, "PYTHONUNBUFFERED": "1"},
        )
        self.addCleanup(lambda: (server.kill(), server.wait(), server.stdout.close(), server.stderr.close()))
        line = server.stdout.readline().decode()
        self.assertIn(scheme, line, server.stderr.read() if not line else "")
        return server, line.split()[-1]


class Serving(WithServer):
    def test_the_demo_is_served_and_ctrl_c_stops_it_cleanly(self):
        folder = self.enterContext(tempfile.TemporaryDirectory())
        server, address = self.start("demo", "--port", "0", "--data", folder)
        page = urllib.request.urlopen(address).read().decode()
        for vehicle in ("Rescue van 3", "Slope groomer 2", "Snow plough Old Bear", "Hut supply bus"):
            self.assertIn(vehicle, page)
        server.send_signal(signal.SIGINT)
        self.assertEqual(server.wait(10), 0)
        self.assertNotIn(b"Traceback", server.stderr.read())

    def test_an_empty_workshop_says_what_to_do_first(self):
        folder = self.enterContext(tempfile.TemporaryDirectory())
        _, address = self.start("serve", "--port", "0", "--data", folder)
        self.assertIn("Press <b>New job</b>", urllib.request.urlopen(address).read().decode())

    def test_a_busy_port_is_one_sentence(self):
        with socket.socket() as busy, tempfile.TemporaryDirectory() as folder:
            busy.bind(("127.0.0.1", 0))
            busy.listen()
            code, _, err = run_alone("serve", "--port", busy.getsockname()[1], "--data", folder)
        self.assertEqual(code, 2)
        self.assertIn("is busy", err)
        self.assertEqual(len(err.strip().splitlines()), 1)

    def test_reset_makes_the_demo_anew_and_touches_nothing_else(self):
        folder = self.enterContext(tempfile.TemporaryDirectory())
        (Path(folder) / "mine.txt").write_text("mine")
        demo_into(folder)
        server, address = self.start("demo", "--port", "0", "--data", folder)
        urllib.request.urlopen(urllib.request.Request(address + "/jobs", b"", method="POST"))
        server.send_signal(signal.SIGINT)
        server.wait(10)
        _, address = self.start("demo", "--port", "0", "--data", folder, "--reset")
        self.assertIn("18 open", urllib.request.urlopen(address).read().decode())
        self.assertEqual((Path(folder) / "mine.txt").read_text(), "mine")


class OpenToOthers(WithServer):
    """Where other machines reach it: encrypted, and everybody signs in."""

    def ask(self, port, path, data=None):
        trusting = ssl.create_default_context(cafile=str(TLS / "cert.pem"))
        there = http.client.HTTPSConnection("localhost", port, timeout=20, context=trusting)
        kind = {"Content-Type": "application/x-www-form-urlencoded"}
        there.request("POST" if data else "GET", path, data, kind if data else {})
        answer = there.getresponse()
        answer.read()
        there.close()
        return answer

    def test_without_a_certificate_it_does_not_start(self):
        folder = self.enterContext(tempfile.TemporaryDirectory())
        wrong = Path(folder) / "wrong.pem"
        wrong.write_text("no certificate")
        for more, says in (
            (("--host", "0.0.0.0"), "can be reached from other machines"),
            (("--host", "::"), "can be reached from other machines"),
            (("--host", "bench.test", "--tls-cert", TLS / "cert.pem"), "can be reached from other"),
            (("--tls-cert", TLS / "cert.pem"), "go together"),
            (("--tls-cert", wrong, "--tls-key", TLS / "key.pem"), "cannot be used"),
            (("--tls-cert", Path(folder) / "none", "--tls-key", TLS / "key.pem"), "cannot be used"),
        ):
            code, _, err = run_alone("serve", "--port", "0", "--data", folder, *more)
            self.assertEqual((code, len(err.strip().splitlines())), (2, 1), err)
            self.assertIn(says, err)

    def test_people_sign_in_over_an_encrypted_line(self):
        folder = self.enterContext(tempfile.TemporaryDirectory())
        encrypted = ("--tls-cert", TLS / "cert.pem", "--tls-key", TLS / "key.pem")
        server, address = self.start(
            "serve",
            "--port",
            "0",
            "--data",
            folder,
            "--host",
            "0.0.0.0",
            *encrypted,
            scheme="https://0.0.0.0:",
        )
        self.assertIn("Nobody can sign in yet", server.stdout.readline().decode())
        port = int(address.rsplit(":", 1)[1])
        self.assertEqual(self.ask(port, "/").getheader("location"), "/enter?back=%2F")
        code, _, err = run("passphrase", "Ylva", "--data", folder, stdin=b"short\n")
        self.assertEqual(code, 2)
        self.assertIn("10 to 200 signs", err)
        words = b"four words of a lead"
        code, out, _ = run("passphrase", "Ylva", "--data", folder, stdin=words + b"\n")
        self.assertEqual((code, out), (0, "Ylva can sign in, with the right to lead.\n"))
        self.assertIn(
            "right to work", run("passphrase", "Odd", "--data", folder, stdin=b"other words too\n")[1]
        )
        answer = self.ask(port, "/enter", b"name=Ylva&passphrase=" + words.replace(b" ", b"+"))
        self.assertEqual(answer.status, 303)
        cookie = answer.getheader("set-cookie")
        for said in ("Secure", "HttpOnly", "SameSite=lax"):
            self.assertIn(said, cookie)
        with socket.create_connection(("127.0.0.1", port), timeout=20) as plain:
            plain.sendall(b"GET / HTTP/1.1\r\nHost: localhost\r\n\r\n")
            self.assertNotIn(b"200", plain.recv(100))

    def test_a_passphrase_for_a_workshop_that_is_not_there(self):
        folder = self.enterContext(tempfile.TemporaryDirectory())
        code, _, err = run("passphrase", "Ylva", "--data", folder, stdin=b"four words of a lead\n")
        self.assertEqual((code, len(err.strip().splitlines())), (2, 1))
        self.assertIn("holds no workshop", err)


class OneOwner(WithServer):
    def test_a_second_process_is_told_who_has_the_folder(self):
        folder = self.enterContext(tempfile.TemporaryDirectory())
        demo_into(folder)
        server, address = self.start("demo", "--port", "0", "--data", folder)
        for words in (
            ("serve", "--port", "0"),
            ("demo", "--port", "0", "--reset"),
            ("export", "demo-van-5"),
        ):
            code, _, err = run_alone(*words, "--data", folder)
            self.assertEqual((code, len(err.strip().splitlines())), (2, 1), err)
            self.assertIn(f"in use by process {server.pid}", err)
        self.assertIn("18 open", urllib.request.urlopen(address).read().decode())
        server.send_signal(signal.SIGKILL)
        server.wait(10)
        self.assertEqual(run_alone("export", "demo-van-5", "--data", folder)[0], 0)

    def test_a_demo_killed_while_it_is_made_is_made_anew(self):
        folder = self.enterContext(tempfile.TemporaryDirectory())
        command = [sys.executable, "-m", "frosty_piston", "demo", "--port", "0", "--data", folder]
        first = subprocess.Popen(command, cwd=ROOT, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        self.addCleanup(first.kill)
        database = Path(folder) / "workshop.db"
        while not (database.exists() and self.marks(database)):
            self.assertIsNone(first.poll())
        first.kill()
        first.wait(10)
        self.assertEqual(self.marks(database), ['{"made": false}'])
        _, address = self.start("demo", "--port", "0", "--data", folder)
        self.assertIn("18 open", urllib.request.urlopen(address).read().decode())
        self.assertEqual(self.marks(database, "SELECT count(*) FROM patterns"), [1])

    def marks(self, database, asked="SELECT value FROM settings WHERE key = 'demo'"):
        with closing(sqlite3.connect(f"file:{database}?mode=ro", uri=True)) as connection:
            try:
                return [row[0] for row in connection.execute(asked)]
            except sqlite3.OperationalError:
                return []


class Launcher(unittest.TestCase):
    def test_without_python_it_says_so(self):
        folder = self.enterContext(tempfile.TemporaryDirectory())
        for name in ("sh", "dirname", "printf"):
            found = next(p for p in ("/bin", "/usr/bin") if (Path(p) / name).exists())
            (Path(folder) / name).symlink_to(Path(found) / name)
        done = subprocess.run(
            [str(ROOT / "piston"), "demo"],
            env={"PATH": folder, "PISTON_VENV": folder + "/none"},
            capture_output=True,
            timeout=20,
        )
        self.assertEqual(done.returncode, 2)
        self.assertIn(b"needs Python 3.11", done.stderr)

    def test_every_package_is_pinned_by_its_hashes(self):
        for name in (
            "requirements.lock",
            "requirements-test.lock",
            "requirements-quality.lock",
            "requirements-long.lock",
        ):
            lines = (ROOT / name).read_text().replace("\\\n", " ").splitlines()
            pins = [line for line in lines if "==" in line]
            self.assertGreater(len(pins), 4)
            self.assertEqual([line for line in pins if "--hash=sha256:" not in line], [])
        self.assertIn("--require-hashes", (ROOT / "piston").read_text())

    def test_the_continuous_check_calls_the_tests(self):
        self.assertIn("./piston test", (ROOT / ".ci" / "run").read_text())
        self.assertTrue(os.access(ROOT / ".ci" / "run", os.X_OK) and os.access(ROOT / "piston", os.X_OK))
