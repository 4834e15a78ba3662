"""The rooms of the package: who may import whom, no circles, none too full; the table in the docs."""

import ast
import unittest
from graphlib import CycleError, TopologicalSorter
from pathlib import Path

import frosty_piston

ROOT = Path(frosty_piston.__file__).parent
DRAWING = ROOT.parent / "docs" / "how-it-works.md"
FULL = 25
# Each room and those that it may import from, itself aside; a nested room stands before the one around it.
ALLOWED = {
    "core": (),
    "knowledge": ("core",),
    "job": ("knowledge", "core"),
    "store": ("job", "knowledge", "core"),
    "formats": ("job", "knowledge", "core"),
    "rig": ("job", "knowledge", "core"),
    "training": ("rig", "store", "formats", "job", "knowledge", "core"),
    "web/drawing": ("store", "job", "knowledge", "core"),
    "web": ("bundles", "demo", "training", "rig", "store", "formats", "job", "knowledge", "core"),
}
ON_TOP = ("bundles", "demo", "cli", "settings", "benchmarks", "__main__", "__init__")
FRAMEWORKS = {
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


def module_of(path: Path) -> str:
    parts = path.relative_to(ROOT.parent).with_suffix("").parts
    return ".".join(parts[:-1] if parts[-1] == "__init__" else parts)


def packages() -> dict[str, Path]:
    return {module_of(path): path for path in sorted(ROOT.rglob("*.py"))}


def imported(module: str, path: Path, modules: dict[str, Path]) -> set[str]:
    """Every module of ours that a module imports, wherever in it and however written."""
    found = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom):
            base = module.split(".") if path.name == "__init__.py" else module.split(".")[:-1]
            near = base[: len(base) - node.level + 1] if node.level else []
            source = ".".join([*near, *([node.module] if node.module else [])])
            for alias in node.names:
                named = f"{source}.{alias.name}"
                found.add(named if named in modules else source)
    return {name for name in found if name in modules and name != module}


def room_of(module: str) -> str:
    inside = "/".join(module.split(".")[1:])
    nested = [room for room in sorted(ALLOWED, key=len, reverse=True) if f"{inside}/".startswith(f"{room}/")]
    return nested[0] if nested else inside.split("/")[0]


class Rooms(unittest.TestCase):
    def setUp(self):
        self.modules = packages()
        self.imports = {name: imported(name, path, self.modules) for name, path in self.modules.items()}

    def test_imports_run_one_way(self):
        wrong = []
        for module, names in self.imports.items():
            room = room_of(module)
            if room not in ALLOWED:
                self.assertIn(room or "__init__", ON_TOP)
                continue
            for name in names - {"frosty_piston"}:
                other = room_of(name)
                inside = other == room or (room == "web" and other.startswith("web"))
                if not inside and other not in ALLOWED[room]:
                    wrong.append(f"{module} imports {name}")
        self.assertEqual(wrong, [])

    def test_there_are_no_circles_not_even_by_a_late_import(self):
        graph = {
            module: {n for n in names if not module.startswith(n + ".")}
            for module, names in self.imports.items()
        }
        try:
            tuple(TopologicalSorter(graph).static_order())
        except CycleError as error:
            self.fail(" imports ".join(reversed(error.args[1])))

    def test_no_room_is_too_full(self):
        for folder in {path.parent for path in self.modules.values()} - {ROOT / "core"}:
            held = [path for path in folder.glob("*.py") if path.name != "__init__.py"]
            self.assertLessEqual(len(held), FULL, folder)

    def test_the_core_knows_no_framework(self):
        for module, path in self.modules.items():
            if room_of(module) != "core":
                continue
            for node in ast.walk(ast.parse(path.read_text())):
                names = [node.module] if isinstance(node, ast.ImportFrom) and not node.level else []
                names += [alias.name for alias in node.names] if isinstance(node, ast.Import) else []
                for name in names:
                    self.assertIn((name or "").split(".")[0], FRAMEWORKS | {"frosty_piston"}, path.name)

    def test_drawings_know_of_no_requests(self):
        for path in (ROOT / "web" / "drawing").glob("*.py"):
            self.assertNotRegex(path.read_text(), r"(fastapi|starlette|web\.(frame|job|workshop))")

    def test_the_drawing_in_the_docs_is_true(self):
        text = DRAWING.read_text()
        for room, allowed in ALLOWED.items():
            row = f"| `{room}/` | {', '.join(f'`{name}`' for name in allowed) or 'nothing of ours'} |"
            self.assertIn(row, text)
        for package in ("job", "web"):
            for folder in sorted((ROOT / package).iterdir()):
                if (folder / "__init__.py").exists():
                    self.assertIn(f"  {package}/{folder.name}/ ", text)
