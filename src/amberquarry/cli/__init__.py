"""The command line: parses, calls, shows. No work is done here."""

from amberquarry.cli.main import main

__all__ = ["main"]
