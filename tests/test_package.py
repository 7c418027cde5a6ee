import ast
import subprocess
import sys
import unittest
from pathlib import Path

import amberquarry

ROOT = Path(amberquarry.__file__).parent
# What each part may import of the others; values come first, interfaces last.
LAYERS = [
    {"errors", "clock"},
    {"values"},
    {"settings"},
    {"sources"},
    {"imaging"},
    {"sheet"},
    {"ink"},
    {"layout"},
    {"reading"},
    {"layer"},
    {"tables"},
    {"kinds"},
    {"pages", "version"},
    {"assembly"},
    {"formats"},
    {"document"},
    {"library", "runs"},
    {"lettering"},
    {"scoring", "drawing"},
    {"sheets"},
    {"demo"},
    {"training"},
    {"cli"},
]
RANK = {name: rank for rank, names in enumerate(LAYERS) for name in names}


def imported(path):
    """All modules that a file imports, also within functions and for types only."""
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.Import):
            yield from (alias.name for alias in node.names)
        elif isinstance(node, ast.ImportFrom) and node.module:
            inner = [f"{node.module}.{alias.name}" for alias in node.names]
            yield from (name for name in inner if module_of(name))
            if not all(map(module_of, inner)):
                yield node.module


def module_of(name):
    """The file of one of our modules, None where the name is none."""
    path = ROOT.parent.joinpath(*name.split("."))
    for file in (path.with_suffix(".py"), path / "__init__.py"):
        if name.startswith("amberquarry") and file.is_file():
            return file
    return None


class LayerTest(unittest.TestCase):
    def test_imports_go_one_way(self):
        """No stage imports a later one."""
        for path in sorted(ROOT.rglob("*.py")):
            own = path.relative_to(ROOT).parts[0].removesuffix(".py")
            if own in ("__init__", "__main__"):
                continue
            for name in filter(module_of, imported(path)):
                part = name.split(".")[1] if "." in name else own
                with self.subTest(path=path.relative_to(ROOT).as_posix(), name=name):
                    self.assertLessEqual(RANK[part], RANK[own])

    def test_no_circles(self):
        """No module imports, over others or within functions, one that imports it."""
        imports = {
            path: {module_of(name) for name in imported(path)} - {None, path}
            for path in ROOT.rglob("*.py")
        }
        for start, own in imports.items():
            seen, waiting = set(), list(own)
            while waiting:
                path = waiting.pop()
                if path not in seen:
                    seen.add(path)
                    waiting += imports[path]
            with self.subTest(path=start.relative_to(ROOT).as_posix()):
                self.assertNotIn(start, seen)

    def test_what_follows_the_sheet_sees_no_pixels(self):
        """Layout, kinds and tables import nothing that works on pictures, over others either."""
        for folder in ("sheet", "layout", "kinds", "tables"):
            for start in (ROOT / folder).glob("*.py"):
                seen, waiting = set(), [start]
                while waiting:
                    path = waiting.pop()
                    for name in imported(path):
                        with self.subTest(module=start.name, over=path.name, name=name):
                            self.assertNotIn(name.split(".")[0], ("cv2", "PIL", "onnxruntime"))
                            self.assertFalse(name.startswith("amberquarry.imaging"))
                            self.assertFalse(name.startswith("amberquarry.ink"))
                        found = module_of(name)
                        if found and found not in seen:
                            seen.add(found)
                            waiting.append(found)

    def test_only_interfaces_print(self):
        """Below the command line nothing prints."""
        for path in sorted(ROOT.rglob("*.py")):
            if path.relative_to(ROOT).parts[0] in ("cli", "training", "demo"):
                continue
            with self.subTest(path=path.name):
                self.assertNotRegex(path.read_text(encoding="utf-8"), r"\b(print|echo)\(")

    def test_one_module_runs_nets(self):
        """Only reading.net imports ONNX Runtime."""
        users = [
            p.name
            for p in ROOT.rglob("*.py")
            if "import onnxruntime" in p.read_text(encoding="utf-8")
        ]
        self.assertEqual(users, ["net.py"])


class ExportTest(unittest.TestCase):
    def test_all_is_sorted_and_there(self):
        """The public names are one sorted list."""
        self.assertEqual(list(amberquarry.__all__), sorted(amberquarry.__all__))
        for name in amberquarry.__all__:
            self.assertTrue(hasattr(amberquarry, name))

    def test_import_is_light(self):
        """Neither PyTorch, SciPy nor the PDF library is loaded before it is needed."""
        code = (
            "import sys, amberquarry;"
            "print([m for m in ('torch', 'pypdfium2', 'matplotlib', 'scipy') if m in sys.modules])"
        )
        done = subprocess.run(
            [sys.executable, "-c", code], capture_output=True, text=True, check=True
        )
        self.assertEqual(done.stdout.strip(), "[]")

    def test_shipped_files_are_small(self):
        """No file of the package is over 4 MiB, and model and schemas are there."""
        for path in ROOT.rglob("*"):
            if path.is_file():
                self.assertLess(path.stat().st_size, 4 * 1024 * 1024, path)
        for name in (
            "models/lines.onnx",
            "formats/page.schema.json",
            "py.typed",
            "demo/truth.jsonl",
        ):
            self.assertTrue((ROOT / name).is_file(), name)
