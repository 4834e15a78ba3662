"""Every example in the core's docstrings runs, and every public function has one."""

import ast
import doctest
import importlib
import pkgutil
import unittest
from pathlib import Path

import frosty_piston
import frosty_piston.core
from frosty_piston.job import proof_evidence, units
from frosty_piston.web import waits

ROOT = Path(frosty_piston.__file__).parent


def core_modules():
    for info in pkgutil.walk_packages(frosty_piston.core.__path__, "frosty_piston.core."):
        yield importlib.import_module(info.name)


def load_tests(loader, tests, pattern):
    for module in [*core_modules(), units, proof_evidence, waits]:
        tests.addTests(doctest.DocTestSuite(module))
    return tests


class Docstrings(unittest.TestCase):
    def test_every_public_function_of_the_core_says_what_it_answers_with_an_example(self):
        silent = []
        for module in core_modules():
            tree = ast.parse(Path(module.__file__).read_text())
            for node in tree.body:
                if isinstance(node, ast.FunctionDef) and not node.name.startswith("_"):
                    text = ast.get_docstring(node) or ""
                    if ">>>" not in text:
                        silent.append(f"{module.__name__}.{node.name}")
        self.assertEqual(silent, [])


class Imports(unittest.TestCase):
    """Imports run one way: web, cli -> formats, store, rig -> job -> knowledge, core."""

    ALLOWED = {
        "core": {"core"},
        "knowledge": {"knowledge", "core"},
        "job": {"job", "knowledge", "core"},
        "store": {"store", "job", "knowledge", "core"},
        "formats": {"formats", "job", "knowledge", "core"},
        "rig": {"rig", "job", "knowledge", "core"},
    }

    def test_no_room_imports_from_a_room_above_it(self):
        wrong = []
        for room, allowed in self.ALLOWED.items():
            for path in (ROOT / room).rglob("*.py"):
                for node in ast.walk(ast.parse(path.read_text())):
                    names = (
                        [node.module]
                        if isinstance(node, ast.ImportFrom) and node.module and not node.level
                        else [a.name for a in node.names]
                        if isinstance(node, ast.Import)
                        else []
                    )
                    wrong += [
                        f"{path.name}: {n}"
                        for n in names
                        if n.startswith("frosty_piston.") and n.split(".")[1] not in allowed
                    ]
        self.assertEqual(wrong, [])

    def test_the_core_knows_no_framework(self):
        allowed = {
            "numpy",
            "math",
            "dataclasses",
            "functools",
            "statistics",
            "itertools",
            "re",
            "typing",
            "collections",
        }
        for path in (ROOT / "core").rglob("*.py"):
            for node in ast.walk(ast.parse(path.read_text())):
                names = (
                    [node.module]
                    if isinstance(node, ast.ImportFrom) and not node.level
                    else [a.name for a in node.names]
                    if isinstance(node, ast.Import)
                    else []
                )
                for name in names:
                    self.assertIn((name or "").split(".")[0], allowed | {"frosty_piston"}, path.name)
