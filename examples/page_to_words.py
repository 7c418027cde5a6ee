"""Read one page and print its text, then each word with its box and confidence.

    python examples/page_to_words.py [PAGE]

Without PAGE the demo's repair slip is read.
"""

import sys

import amberquarry
from amberquarry.demo import COLLECTION

path = sys.argv[1] if len(sys.argv) > 1 else COLLECTION / "repair-slip-118.jpg"
page = amberquarry.read_page(path)
print(page.text)
print()
for word in page.words:
    x0, y0, x1, y1 = (round(value) for value in word.box)
    print(f"{word.confidence:.2f}  {x0:5} {y0:5} {x1:5} {y1:5}  {word.text}")
