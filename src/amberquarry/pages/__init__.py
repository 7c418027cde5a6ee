"""One page from its picture to what is on it."""
