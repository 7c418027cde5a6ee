"""Write docs/settings.md and docs/records.md from the code and the schemas.

python docs/make_reference.py
"""

from __future__ import annotations

import dataclasses
import inspect
import json
from pathlib import Path
from typing import Any

from amberquarry.formats.records import schema
from amberquarry.settings import Effort, Limits, Note, Settings

HERE = Path(__file__).parent


def settings_page() -> str:
    """Return the reference of settings and limits."""
    parts = [
        "# Settings",
        "",
        "Made from the code by `docs/make_reference.py`.",
        "",
        "`convert`, `look` and `compare` take a TOML file of these groups with `--settings FILE`; "
        "`convert --print-settings` writes one with all defaults and meanings. The library takes "
        "`Settings.from_dict`, `Settings.from_toml` or the classes themselves. `--effort quick` or "
        '`thorough`, or a line `effort = "quick"` above the groups, moves the settings that cost '
        "time; what a group says itself counts more.",
    ]
    for group in dataclasses.fields(Settings):
        cls: Any = group.default_factory
        parts += ["", f"## {group.name}", "", inspect.getdoc(cls) or "", ""]
        parts += [
            "| setting | default | range | quick, thorough | meaning |",
            "|---|---|---|---|---|",
        ]
        for item in dataclasses.fields(cls):
            note = Note.of(item)
            between = f"{note.between[0]:g} to {note.between[1]:g}" if note.between else ""
            efforts = ", ".join(
                json.dumps(note.efforts.get(effort, note.default)) if note.efforts else ""
                for effort in (Effort.QUICK, Effort.THOROUGH)
            ).strip(", ")
            unit = f" ({note.unit})" if note.unit else ""
            default = f"`{json.dumps(note.default)}`"
            parts.append(
                f"| `{note.name}` | {default} | {between}{unit} | {efforts} | {note.meaning} |"
            )
    parts += ["", "## limits", "", inspect.getdoc(Limits) or "", ""]
    parts += ["| limit | default | meaning |", "|---|---|---|"]
    for limit in dataclasses.fields(Limits):
        note = Note.of(limit)
        unit = f" ({note.unit})" if note.unit else ""
        parts.append(f"| `{note.name}` | {note.default}{unit} | {note.meaning} |")
    return "\n".join(parts) + "\n"


def fields_of(part: dict[str, Any], prefix: str = "") -> list[str]:
    """Return a row for each field of an object of a schema, nested ones after their parent."""
    rows = []
    for name, value in part["properties"].items():
        kind = value.get("type", "one of " + ", ".join(map(str, value.get("enum", []))))
        kind = " or ".join(kind) if isinstance(kind, list) else kind
        needed = "yes" if name in part.get("required", []) else ""
        rows.append(f"| `{prefix}{name}` | {kind} | {needed} | {value.get('description', '')} |")
        if "properties" in value:
            rows += fields_of(value, f"{prefix}{name}.")
        inner = value.get("items", {})
        if "properties" in inner:
            rows += fields_of(inner, f"{prefix}{name}[].")
    return rows


def records_page() -> str:
    """Return the reference of record fields."""
    parts = [
        "# Records",
        "",
        "Made from the schemas by `docs/make_reference.py`. The schemas themselves "
        "(JSON Schema 2020-12) are in the package: `amberquarry/formats/*.schema.json`.",
        "",
        "## Reading a run back",
        "",
        "Nothing is lost in the records: a finished run gives the same pages again, without a",
        "file being read anew. Documents come one at a time, in the order of the inputs.",
        "",
        "```python",
        "import amberquarry",
        "",
        'run = amberquarry.open_run("run")',
        "print(len(run), run.sources[:3], run.rejected)",
        'document = run.document("letters/1931.pdf")  # or by its identifier',
        "for table in document.tables:",
        "    print(table.id, table.table.to_rows())",
        "for figure in document.figures:",
        "    print(figure.id, run.pictures_of(document) / figure.picture.name)",
        "```",
        "",
        "Records of schema 1 (versions 0.1) are read too, without base lines, x-heights, quads of",
        "lines and cells of tables. Records of a later schema are refused with a sentence.",
    ]
    for name, file in (("document", "documents.jsonl"), ("page", "pages.jsonl")):
        parts += ["", f"## {file}", "", "| field | type | always | meaning |", "|---|---|---|---|"]
        parts += fields_of(schema(name))
    parts += [
        "",
        "## rejected.jsonl",
        "",
        "`path`, `reason` (`damaged`, `encrypted`, `unsupported`, `empty`, `too-large`, "
        "`unreadable`, or `failed` for our own faults) and `message`, which says what to do.",
    ]
    return "\n".join(parts) + "\n"


if __name__ == "__main__":
    (HERE / "settings.md").write_text(settings_page(), encoding="utf-8")
    (HERE / "records.md").write_text(records_page(), encoding="utf-8")
