import importlib.util
import json
import tempfile
import unittest
from pathlib import Path

from click.testing import CliRunner

PATH = Path(__file__).parent.parent / "benchmarks" / "results.py"
spec = importlib.util.spec_from_file_location("results", PATH)
results = importlib.util.module_from_spec(spec)
spec.loader.exec_module(results)


class ResultsTest(unittest.TestCase):
    def test_rows_of_tables(self):
        """A name and at least two figures are a row; a dash is no figure."""
        for line, wanted in (
            ("all                 40   0.14   0.09", ("all", [40.0, 0.14, 0.09])),
            ("two columns          8   0.09      –", ("two columns", [8.0, 0.09, None])),
            ("| turned 90 | 31 of 32 | 99.8 | 0.04 |", ("turned 90", [31.0, 99.8, 0.04])),
            ("table between rules                 +0.00    -0.02    +3.31",
             ("table between rules", [0.0, -0.02, 3.31])),
            ("pages of        n    CER    any", None),
            ("|---|---|---|", None),
            ("32 pages", None),
            ("", None),
        ):  # fmt: skip
            with self.subTest(line=line):
                self.assertEqual(results.row_of(line), wanted)

    def test_cases_are_named_without_places(self):
        """Where data lie and how many work at them are no part of what is measured."""
        command = ["layout.py", "score", "--data", "/x/y", "--split", "inspect", "--jobs", "2"]
        self.assertEqual(results.case_of(command), "layout.py score --split inspect")

    def test_what_changed(self):
        """The two commits that were kept last are compared, row by row."""
        with tempfile.TemporaryDirectory() as folder:
            results.FOLDER = Path(folder)
            rows = [("a", "all", [1.0, 2.0]), ("b", "all", [1.0, 2.5]), ("b", "new", [3.0, 4.0]),
                    ("c", "all", [1.02, 2.5])]  # fmt: skip
            lines = [
                json.dumps({"case": "x.py", "row": row, "figures": figures, "commit": commit})
                for commit, row, figures in rows
            ]
            (Path(folder) / "x.jsonl").write_text("\n".join(lines), encoding="utf-8")
            done = CliRunner().invoke(results.main, ["diff"])
            self.assertIn("x.py: all, figure 1: 1.0 to 1.02 (b to c)", done.output)
            self.assertIn("1 figures changed", done.output)
            done = CliRunner().invoke(results.main, ["diff", "--least", "0.05"])
            self.assertIn("0 figures changed", done.output)


if __name__ == "__main__":
    unittest.main()
