"""A page side before it has meaning: letters, rules, areas, lines, and how to measure them."""
