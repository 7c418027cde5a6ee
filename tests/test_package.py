import ast
import subprocess
import sys
import unittest
from pathlib import Path

import amberquarry

ROOT = Path(amberquarry.__file__).parent
# What each part may import of the others; values come first, interfaces last.
LAYERS = [
    {"errors"},
    {"document"},
    {"settings", "version"},
    {"sources"},
    {"imaging"},
    {"layout"},
    {"reading"},
    {"pipeline"},
    {"choosing"},
    {"assembly"},
    {"formats"},
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
    """Our modules that a file imports at its top level."""
    for node in ast.parse(path.read_text(encoding="utf-8")).body:
        names = (
            [a.name for a in node.names]
            if isinstance(node, ast.Import)
            else [node.module]
            if isinstance(node, ast.ImportFrom) and node.module
            else []
        )
        for name in names:
            if name.startswith("amberquarry."):
                yield name.split(".")[1]


class LayerTest(unittest.TestCase):
    def test_imports_go_one_way(self):
        """No stage imports a later one."""
        for path in sorted(ROOT.rglob("*.py")):
            own = path.relative_to(ROOT).parts[0].removesuffix(".py")
            if own in ("__init__", "__main__"):
                continue
            for name in imported(path):
                with self.subTest(path=path.relative_to(ROOT).as_posix(), name=name):
                    self.assertLessEqual(RANK[name], RANK[own])

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
        """Neither PyTorch nor the PDF library is loaded before it is needed."""
        code = (
            "import sys, amberquarry;"
            "print([m for m in ('torch', 'pypdfium2', 'matplotlib') if m in sys.modules])"
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
