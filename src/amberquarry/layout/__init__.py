"""From ink to text lines in blocks, in reading order."""

from amberquarry.layout.analysis import (
    Layout,
    Text,
    analyse,
    arrange,
    find_text,
    lines_upside_down,
    whole_line,
)
from amberquarry.layout.bending import find_bend, straighten
from amberquarry.layout.blocks import Region
from amberquarry.layout.captions import label_of
from amberquarry.layout.components import Components
from amberquarry.layout.drawings import place_drawings
from amberquarry.layout.fields import place_fields
from amberquarry.layout.figures import (
    drawings_of_tables,
    find_figures,
    place_figures,
    whole_photographs,
)
from amberquarry.layout.kinds import settle_kinds
from amberquarry.layout.listing import code_text
from amberquarry.layout.measuring import CAPITAL_RATIO, TextLine
from amberquarry.layout.numbered import join_line_numbers
from amberquarry.layout.order import reading_order
from amberquarry.layout.pitch import fit_grid
from amberquarry.layout.scene import SceneLine, find_scene_lines, group_boards
from amberquarry.layout.screens import place_screens
from amberquarry.layout.tables import place_tables
from amberquarry.layout.typography import LOW_LETTERS, type_size
from amberquarry.layout.vertical import find_vertical

__all__ = [
    "CAPITAL_RATIO",
    "LOW_LETTERS",
    "Components",
    "Layout",
    "Region",
    "SceneLine",
    "Text",
    "TextLine",
    "analyse",
    "arrange",
    "code_text",
    "drawings_of_tables",
    "find_bend",
    "find_figures",
    "find_scene_lines",
    "find_text",
    "find_vertical",
    "fit_grid",
    "group_boards",
    "join_line_numbers",
    "label_of",
    "lines_upside_down",
    "place_drawings",
    "place_fields",
    "place_figures",
    "place_screens",
    "place_tables",
    "reading_order",
    "settle_kinds",
    "straighten",
    "type_size",
    "whole_line",
    "whole_photographs",
]
