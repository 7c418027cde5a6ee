"""Measure what was read against truth: characters, words, boxes, order."""

from amberquarry.scoring.compare import PageScore, Score, score_page, total
from amberquarry.scoring.runs import score_run

__all__ = ["PageScore", "Score", "score_page", "score_run", "total"]
