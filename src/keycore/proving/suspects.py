"""Why a key came out wrong: its errors, how it felt in the lock and the machine's history weighed together.

How often each cause gives each clue is common practice, no source, until a shop's own records say otherwise.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from math import exp, log, pi, sqrt

from keycore.proving.causes import Cause
from keycore.proving.lock import Feel
from keycore.reading.evidence import Spread

FEWEST, MOST = 0.05, 20.0  # how far one clue alone may turn the odds

FURTHER = {
    "burr": "A burr, or a blank too thick or too high: it is tight going in whatever the depths.",
    "steep": "The tip's cut or a ramp is too steep: it will not come out.",
    "crooked": "One side was cut crooked, or the key sat differently when it was turned over.",
}
"""Causes that depths alone do not show, with what they mean."""
FURTHER_PRIOR = 0.04  # each, beside "nothing but scatter"

CLUES: Mapping[str, Mapping[str, float]] = {
    "rubs": {
        "none": 0.15,
        "mill": 0.4,
        "across": 0.35,
        "drill": 0.4,
        "depth": 0.35,
        "loose": 0.3,
        "burr": 0.4,
        "scale": 0.3,
        "seat": 0.1,
        "crooked": 0.3,
    },
    "snags": {
        "none": 0.1,
        "mill": 0.35,
        "across": 0.4,
        "drill": 0.45,
        "depth": 0.35,
        "seat": 0.5,
        "cutter": 0.45,
        "angle": 0.4,
        "single": 0.45,
        "loose": 0.35,
    },
    "stuck": {
        "none": 0.02,
        "mill": 0.45,
        "across": 0.5,
        "drill": 0.4,
        "depth": 0.45,
        "single": 0.4,
        "seat": 0.4,
        "gauge": 0.4,
        "scale": 0.35,
        "angle": 0.35,
        "burr": 0.05,
        "steep": 0.05,
    },
    "barred": {"none": 0.01, "burr": 0.85, "crooked": 0.3, "steep": 0.1, "depth": 0.05, "scale": 0.05},
    "tight": {"none": 0.05, "burr": 0.8, "crooked": 0.3},
    "held": {"none": 0.03, "steep": 0.8, "cutter": 0.2, "burr": 0.15},
    "one-way": {"none": 0.05, "crooked": 0.8, "seat": 0.2, "angle": 0.3},
}
"""How likely each clue is under each cause; a cause not named gives it 1 time in 5."""
UNNAMED = 0.2

CLUE_WORDS = {
    "rubs": "it rubs as it turns",
    "snags": "it snags, then goes",
    "stuck": "it will not turn",
    "barred": "it will not go in",
    "tight": "it is tight going in",
    "held": "it will not come out freely",
    "one-way": "it works one way up only",
}


OF_TURNING: Mapping[Feel | None, str] = {Feel.RUBS: "rubs", Feel.SNAGS: "snags", Feel.STUCK: "stuck"}
OF_ENTERING: Mapping[Feel | None, str] = {Feel.RUBS: "tight", Feel.SNAGS: "tight", Feel.STUCK: "barred"}


@dataclass(frozen=True, slots=True)
class Suspect:
    """A possible cause with its chance and what speaks for or against it."""

    cause: str
    chance: float
    says: str
    evidence: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Check:
    """A check that tells causes apart: what to do, and the causes that it would show."""

    does: str
    shows: frozenset[str]


CHECKS = (
    Check("Brush the key and feel along its edges for a burr.", frozenset({"burr"})),
    Check("Measure the odd cut again, knife edges in the root.", frozenset({"single"})),
    Check("Try it the other way up.", frozenset({"crooked"})),
    Check("Rock the blank in the jaw: does it move when tugged?", frozenset({"loose", "angle"})),
    Check("Measure where two cuts sit along the blade.", frozenset({"gauge"})),
    Check("Measure the mill across its flutes.", frozenset({"mill"})),
    Check("Measure where a hole of each drill sits along the blade.", frozenset({"drill"})),
    Check("Touch the clamp's face off again, at both ends.", frozenset({"across", "angle"})),
    Check("Measure the blank's thickness and spine beside a good one.", frozenset({"burr"})),
    Check("Look at the wheel: its flat and angle, chips in it.", frozenset({"cutter", "steep"})),
    Check(
        "Clamp a new blank, bottomed against the back of the jaw, and cut it again.",
        frozenset({"seat", "angle", "crooked"}),
    ),
    Check("Do a morning check with a check key.", frozenset({"depth", "scale", "gauge"})),
)
"""Cheapest first."""


@dataclass(frozen=True, slots=True)
class KeyFelt:
    """How a key went in, turned and came out once, and which way up it was; None where it was not tried."""

    way_up: str
    enters: Feel | None
    turns: Feel | None
    leaves: Feel | None


def clues_of(felt: Iterable[KeyFelt]) -> list[str]:
    """How a key felt, as clues of CLUES, each once, in order. Raises nothing.

    >>> clues_of([KeyFelt("up", Feel.FREE, Feel.FREE, Feel.SNAGS), KeyFelt("down", Feel.FREE, Feel.STUCK, None)])
    ['held', 'one-way', 'stuck']
    """
    clues: set[str] = set()
    turns: dict[str, set[Feel]] = {}
    for each in felt:
        clues |= {OF_TURNING[each.turns]} if each.turns in OF_TURNING else set()
        clues |= {OF_ENTERING[each.enters]} if each.enters in OF_ENTERING else set()
        clues |= {"held"} if each.leaves not in (None, Feel.FREE) else set()
        if each.turns is not None:
            turns.setdefault(each.way_up, set()).add(each.turns)
    works = {Feel.FREE in seen for seen in turns.values()}
    return sorted(clues | ({"one-way"} if len(works) == 2 else set()))


def weigh_suspects(
    causes: Iterable[Cause],
    mean_error: float,
    sd: float,
    history: Spread | None,
    tolerance: float,
    clues: Iterable[str],
    *,
    one_side: float | None = None,
) -> list[Suspect]:
    """Rank why a key came out as it did.

    Each cause's weight by the errors alone is multiplied by how well the machine's own offset
    explains the mean error (for the depth setting: a ratio of normal densities against an offset
    of unknown size), and by how likely each clue is under it; no single clue turns the odds by more
    than 20. Arguments: ``causes`` of the errors; their mean ``mean_error`` and its sd; the machine's offset at that
    time, None when it is not known; the value tolerance, all in one unit; ``clues`` of CLUES; ``one_side`` the
    weight of one side being off alone (``one_side_alone``), None for a key of one side.
    Returns the suspects, likeliest first, their chances together 1. Raises KeyError for an unknown clue.

    >>> found = weigh_suspects([Cause("depth", 0.5, ""), Cause("seat", 0.5, "")], -0.004, 0.0005,
    ...                        Spread(0.0, 0.0002), 0.002, [])
    >>> found[0].cause, found[0].evidence
    ('seat', ())
    >>> found[1].evidence
    ("the machine's keys before were true",)
    """
    seen = list(clues)
    weights = {cause.cause: (cause.weight, cause.says) for cause in causes}
    plain = weights.get("none", (0.5, ""))[0]
    for cause, says in FURTHER.items():
        weights.setdefault(cause, (FURTHER_PRIOR * plain, says))
    if one_side is not None:
        weights["crooked"] = (one_side, FURTHER["crooked"])
    scored = []
    for cause, (weight, says) in weights.items():
        factor, evidence = 1.0, []
        if cause == "depth" and history is not None:
            ratio = _fits(mean_error, sd, history, tolerance)
            factor *= ratio
            if ratio > 1.5:
                evidence.append(f"the machine's keys before were {'deep' if history.mean < 0 else 'shallow'} too")
            elif ratio < 0.67:
                evidence.append("the machine's keys before were true")
        if cause == "crooked" and one_side is not None and one_side > 1:
            evidence.append("the errors are on one side only")
        for clue in seen:
            factor *= CLUES[clue].get(cause, UNNAMED) / UNNAMED
            if CLUES[clue].get(cause, UNNAMED) > UNNAMED:
                evidence.append(CLUE_WORDS[clue])
        scored.append((weight * factor, cause, says, tuple(evidence)))
    total = sum(weight for weight, *_ in scored) or 1.0
    return [
        Suspect(cause, weight / total, says, evidence)
        for weight, cause, says, evidence in sorted(scored, key=lambda each: -each[0])
    ]


def _fits(error: float, sd: float, history: Spread, tolerance: float) -> float:
    """How much better the machine's own offset explains an error than one of unknown size."""
    known = _log_normal(error - history.mean, sqrt(sd**2 + history.sd**2))
    unknown = _log_normal(error, sqrt(sd**2 + (2 * tolerance) ** 2))
    return min(MOST, max(FEWEST, exp(min(known - unknown, log(MOST)))))


def _log_normal(x: float, sd: float) -> float:
    return -0.5 * (x / sd) ** 2 - log(sd * sqrt(2 * pi))


def next_check(suspects: Sequence[Suspect]) -> Check | None:
    """The cheapest check that tells the first two suspects apart; None with fewer than two. Raises nothing.

    >>> two = [Suspect("seat", 0.6, "", ()), Suspect("depth", 0.3, "", ())]
    >>> next_check(two).does
    'Clamp a new blank, bottomed against the back of the jaw, and cut it again.'
    """
    if len(suspects) < 2:
        return None
    first, second = suspects[0].cause, suspects[1].cause
    return next((check for check in CHECKS if (first in check.shows) != (second in check.shows)), None)
