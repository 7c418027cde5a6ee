"""Convert a folder and print one line of JSON for each paragraph, as an index would take it.

    python examples/folder_to_jsonl.py [FOLDER [RUN]]

Without FOLDER the demo's station log is read.
"""

import json
import sys
import tempfile
from pathlib import Path

import amberquarry
from amberquarry.demo import COLLECTION

if __name__ == "__main__":  # worker processes import this file again
    folder = sys.argv[1] if len(sys.argv) > 1 else str(COLLECTION / "station-log")
    run = Path(sys.argv[2] if len(sys.argv) > 2 else tempfile.mkdtemp()) / "run"
    summary = amberquarry.convert([folder], run)
    print(f"{summary.pages} pages, {summary.words} words in {run}", file=sys.stderr)
    for line in (run / "pages.jsonl").open(encoding="utf-8"):
        page = json.loads(line)
        for block in page["blocks"]:
            if block["kind"] == "paragraph" and block["confidence"] > 0.5:
                print(
                    json.dumps(
                        {
                            "document": page["document"],
                            "page": page["page"],
                            "block": block["id"],
                            "text": block["text"],
                        },
                        ensure_ascii=False,
                    )
                )
