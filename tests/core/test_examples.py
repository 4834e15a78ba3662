"""Every example in the core's docstrings runs, and every public function has one."""

import ast
import doctest
import importlib
import pkgutil
import re
import unittest
from pathlib import Path

import frosty_piston
import frosty_piston.core
from frosty_piston.job import units
from frosty_piston.job.day import solver
from frosty_piston.job.weighing import proof_evidence
from frosty_piston.web.job import waits

ROOT = Path(frosty_piston.__file__).parent


def core_modules():
    for info in pkgutil.walk_packages(frosty_piston.core.__path__, "frosty_piston.core."):
        yield importlib.import_module(info.name)


def load_tests(loader, tests, pattern):
    for module in [*core_modules(), solver, units, proof_evidence, waits]:
        tests.addTests(doctest.DocTestSuite(module))
    return tests


def public_functions(tree):
    """Every public function and method of a module, without properties and private classes."""
    for node in tree.body:
        if isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
            yield from public_functions(node)
        public = isinstance(node, ast.FunctionDef) and not node.name.startswith("_")
        if public and not any("property" in ast.unparse(d) for d in node.decorator_list):
            yield node


class Docstrings(unittest.TestCase):
    def test_every_public_function_says_its_parameters_errors_and_source_with_an_example(self):
        silent = []
        for module in core_modules():
            for node in public_functions(ast.parse(Path(module.__file__).read_text())):
                prose, example, _ = (ast.get_docstring(node) or "").partition(">>>")
                taken = [
                    a.arg for a in (*node.args.args, *node.args.kwonlyargs) if a.arg not in ("self", "cls")
                ]
                lacks = [name for name in taken if not re.search(rf"\b{name}\b", prose)]
                lacks += [
                    what for what in ("aise", "ource") if what not in prose and "alibration" not in prose
                ]
                lacks += [] if example else ["an example"]
                if lacks:
                    silent.append(f"{module.__name__}.{node.name}: {', '.join(lacks)}")
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
