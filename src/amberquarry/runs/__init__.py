"""Many files: inputs, workers, the run folder."""

from amberquarry.runs.convert import Progress, RunSummary, convert
from amberquarry.runs.opened import Run, open_run

__all__ = ["Progress", "Run", "RunSummary", "convert", "open_run"]
