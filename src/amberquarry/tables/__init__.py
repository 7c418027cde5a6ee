"""Tables: grids of cells, and what is none."""
