"""Draw the word boxes of a page over its picture with Matplotlib.

    python examples/draw_words.py [PAGE [PNG]]

Without PAGE the demo's storm notice is drawn.
"""

import sys

import matplotlib

matplotlib.use("Agg")
import matplotlib.pyplot as plt
from matplotlib.patches import Rectangle
from PIL import Image

import amberquarry
from amberquarry.demo import COLLECTION

path = sys.argv[1] if len(sys.argv) > 1 else COLLECTION / "storm-notice.png"
target = sys.argv[2] if len(sys.argv) > 2 else "words.png"
image = Image.open(path)
page = amberquarry.read_page(image)
figure, axes = plt.subplots(figsize=(12.8, 8), dpi=100, layout="constrained")
axes.imshow(image.convert("L"), cmap="gray", vmin=0, vmax=255)
colours = plt.get_cmap("viridis_r")
for word in page.words:
    x0, y0, x1, y1 = word.box
    axes.add_patch(
        Rectangle(
            (x0, y0),
            x1 - x0,
            y1 - y0,
            fill=False,
            linewidth=1,
            edgecolor=colours(word.confidence),
        )
    )
    axes.annotate(word.text, (x0, y0 - 4), fontsize=7, color="tab:blue")
axes.set_title(f"{len(list(page.words))} words, mean confidence {page.confidence:.2f}")
axes.set_axis_off()
figure.savefig(target)
print(target)
