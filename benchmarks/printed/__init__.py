"""Documents set by a browser, whose sources say what each word belongs to."""
