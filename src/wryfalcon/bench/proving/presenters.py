"""A key's proof as its page shows it: what the verdict rests on, each lock, what is still to be tried."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

from wryfalcon.bench.models import Felt, Lock, ProvenBy, Trial
from wryfalcon.bench.proving.queries import Ground

PARTS = (("goes in", "enters"), ("turns", "turns"), ("comes out", "leaves"))


class HowItFelt(Protocol):
    """A trial of a new key, or a lock with what the old key did in it."""

    enters: str
    turns: str
    leaves: str
    grade: int | None


@dataclass(frozen=True)
class LockShown:
    """A lock, how the old key goes in it, and how this one went."""

    lock: Lock
    old: str
    trials: tuple[tuple[str, str], ...]  # which, and how it went
    is_tried: bool


@dataclass(frozen=True)
class ProofShown:
    """What there is to judge a key by, in words."""

    locks: tuple[LockShown, ...]
    rests_on: str
    left: str  # the locks it is still to be tried in
    is_good: bool  # needs no reason
    can_compare: bool  # nothing else was done, and there is a pattern to hold it against
    can_pass: bool


def proof_shown(ground: Ground) -> ProofShown:
    """What a page shows of a key's proof."""
    by = ground.proven_by()
    return ProofShown(
        locks=tuple(_lock(lock, [each for each in ground.trials if each.lock_id == lock.pk]) for lock in ground.locks),
        rests_on=_rests_on(ground, by),
        left=" and ".join(str(lock) for lock in ground.left),
        is_good=ground.is_good,
        can_compare=by is None and ground.has_pattern,
        can_pass=by is not None,
    )


def felt_words(felt: HowItFelt) -> str:
    """How a key goes in a lock, as short as it can be said; "" where it was not tried."""
    said = [(words, getattr(felt, part)) for words, part in PARTS if getattr(felt, part)]
    if len(said) == len(PARTS) and {value for _, value in said} == {Felt.FREE}:
        told = "goes freely"
    else:
        told = ", ".join(
            f"{words} {Felt(value).label}".replace("turns will not", "will not turn") for words, value in said
        )
    graded = f"grade {felt.grade}" if felt.grade is not None else ""
    return ", ".join(part for part in (told, graded) if part)


def trial_words(trial: Trial) -> str:
    """One trial on a line: the lock, which way up and when, and how it went."""
    return f"{trial.lock}, {trial.get_way_up_display()}, {_when(trial)}: {felt_words(trial)}"


def _lock(lock: Lock, trials: Sequence[Trial]) -> LockShown:
    told = tuple((f"{each.get_way_up_display()}, {_when(each)}", felt_words(each)) for each in trials)
    return LockShown(lock, felt_words(lock), told, bool(trials))


def _when(trial: Trial) -> str:
    return "after a few turns" if trial.worked else "at first"


def _rests_on(ground: Ground, by: ProvenBy | None) -> str:
    measured = [cut for cut in ground.measured.cuts if cut.measured is not None] if ground.measured else []
    said = [f"{len(measured)} of {len(ground.measured.cuts)} cuts measured"] if ground.measured and measured else []
    said += [f"{lock}: {felt_words(last)}" for lock in ground.tried for last in _last_in(ground, lock)]
    return "; ".join(said) if by is not None or said else ""


def _last_in(ground: Ground, lock: Lock) -> list[Trial]:
    return [trial for trial in ground.last_trials if trial.lock_id == lock.pk]
