"""From a prepared picture to its letters, lines, rules and areas."""
