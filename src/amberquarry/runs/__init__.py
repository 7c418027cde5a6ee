"""Many files: inputs, workers, the run folder."""

from amberquarry.runs.convert import Progress, RunSummary, convert

__all__ = ["Progress", "RunSummary", "convert"]
