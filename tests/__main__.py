"""Run all tests, a process for each module, as many at once as there are processors.

python -m tests              all modules
python -m tests layout runs  some, by the ends of their names
"""

from __future__ import annotations

import os
import re
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

_COUNTS = re.compile(r"(failures|errors|skipped)=(\d+)")

# each processor has a module to run: more threads would wait for each other
_ONE_THREAD = dict.fromkeys(("OMP_NUM_THREADS", "OPENCV_FOR_THREADS_NUM"), "1")


def _run(module: str) -> tuple[str, int, str, float]:
    """Return a module's name, exit status, output and seconds."""
    start = time.monotonic()
    command = [sys.executable, "-m", "unittest", module]
    done = subprocess.run(
        command, capture_output=True, text=True, check=False, env={**os.environ, **_ONE_THREAD}
    )
    return module, done.returncode, done.stdout + done.stderr, time.monotonic() - start


def main() -> int:
    """Run the modules, print what failed and the sum in the words of `unittest`."""
    folder = Path(__file__).parent
    os.chdir(folder.parent)
    # the largest first, so that none is left alone at the end
    paths = sorted(folder.glob("test_*.py"), key=lambda path: -path.stat().st_size)
    names = [path.stem for path in paths if not sys.argv[1:] or path.stem[5:] in sys.argv[1:]]
    start, ran, counts = time.monotonic(), 0, dict.fromkeys(("failures", "errors", "skipped"), 0)
    broken, failed = not names, list[str]()
    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        for module, status, output, seconds in pool.map(_run, [f"tests.{n}" for n in names]):
            told = re.findall(r"^Ran (\d+) tests?", output, re.MULTILINE)
            ran += int(told[-1]) if told else 0
            last = output.strip().rpartition("\n")[2]
            for name, number in _COUNTS.findall(last):
                counts[name] += int(number)
            broken |= status != 0
            print(f"{module:28} {last:30} {seconds:6.1f} s", flush=True)
            if status:
                failed.append(output)
    print("", *failed, sep="\n")
    print(f"\nRan {ran} tests in {time.monotonic() - start:.1f}s\n")
    found = ", ".join(f"{name}={number}" for name, number in counts.items() if number)
    print(("FAILED" if broken else "OK") + (f" ({found})" if found else ""))
    return int(broken)


if __name__ == "__main__":
    sys.exit(main())
