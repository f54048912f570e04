"""Kills at random, lost and slow answers: no key lost, doubled, stuck or uncounted, judged by the metal's ledger."""

from benchmarks.faults.judge import Judgement, judge
from benchmarks.faults.trial import Trial, measure

__all__ = ["Judgement", "Trial", "judge", "measure"]
