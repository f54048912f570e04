"""From everything seen to what the key is: the exact posterior of its bitting."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import partial
from itertools import combinations
from types import MappingProxyType
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from keycore.errors import BeyondReach, InputError, NothingAllowed
from keycore.family import Family, Rules, Track
from keycore.reading.beginnings import log_bound, weigh_beginnings
from keycore.reading.chain import weigh_together
from keycore.reading.evidence import DEFAULT_STRAY, Evidence, Measured, Rounded, Spread, Stated, check_evidence
from keycore.reading.likelihood import Array, Weighed, weigh
from keycore.reading.listed import Listed, weigh_list
from keycore.rules import Break, breaks, keep_rules, list_bittings, neighbours_allowed

SURE_ENOUGH = 0.99  # at this chance nothing need be measured again
FAR_BETTER = 100.0  # odds at which a turned source or a broken rule is spoken of
HARDLY_OVERLAP = 0.01  # below this two sources contradict each other
TIE = 1e-9
BITTINGS_GIVEN = 5


@dataclass(frozen=True)
class Reading:
    """All that was seen of one track, and what the bitting is held to."""

    family: Family
    track: Track
    evidence: tuple[Evidence, ...]
    obey: frozenset[str] = frozenset({"macs"})
    stray: float = DEFAULT_STRAY
    among: tuple[tuple[int, ...], ...] | None = None

    def __post_init__(self) -> None:
        check_evidence(self.evidence, len(self.track.spaces))


@dataclass(frozen=True)
class BeyondRules:
    """A bitting that breaks a rule and explains what was seen far better than any that keeps it."""

    steps: tuple[int, ...]
    times: float  # how many times better
    breaks: tuple[Break, ...]


@dataclass(frozen=True)
class Conflict:
    """Two sources whose own probabilities for a space hardly overlap."""

    sources: tuple[int, int]
    space: int  # counted from 1


@dataclass(frozen=True)
class Posterior:
    """What a reading says.

    ``marginals`` (n, d); ``bittings`` the likeliest with their probabilities; ``offset`` and
    ``tip`` of the first measured source, None without one; ``nearest`` (n,) its plain reading;
    ``wear`` (s,) offset and tip of every source that has them; ``measure_again`` a space from 1;
    ``turn_round`` the index of a source better read the other way; ``left_out`` what could not
    be worked out and why.
    """

    track: Track
    marginals: Array
    bittings: tuple[tuple[tuple[int, ...], float], ...]
    offset: Spread | None
    tip: Spread | None
    nearest: tuple[int | None, ...] | None
    nearest_breaks: tuple[Break, ...]
    measure_again: int | None
    turn_round: int | None
    conflicts: tuple[Conflict, ...]
    beyond_rules: BeyondRules | None
    wear: tuple[tuple[Spread, Spread] | None, ...] = ()
    left_out: Mapping[str, str] = field(default_factory=lambda: MappingProxyType({}))

    @property
    def best(self) -> tuple[int, ...]:
        """The likeliest whole bitting."""
        return self.bittings[0][0]

    @property
    def settled(self) -> tuple[int, ...]:
        """The most probable depth at each space, the shallower on a tie."""
        return tuple(int(np.argmax(row >= row.max() - TIE)) for row in self.marginals)

    @property
    def doubts_whole_key(self) -> bool:
        """Whether the runner-up is the best with every cut one way by the same step."""
        if len(self.bittings) < 2:
            return False
        shifts = {b - a for a, b in zip(self.best, self.bittings[1][0], strict=True)}
        return len(shifts) == 1 and 0 not in shifts and len(self.best) > 1


class Settled(Protocol):
    """What both ways of weighing offer."""

    @property
    def log_total(self) -> float: ...  # noqa: D102
    def marginals(self) -> Array: ...  # noqa: D102
    def likeliest(self, wanted: int) -> list[tuple[tuple[int, ...], float]]: ...  # noqa: D102
    def moments(self, s: int) -> tuple[Spread, Spread]: ...  # noqa: D102
    def chance_of(self, steps: tuple[int, ...]) -> float: ...  # noqa: D102


Settle = Callable[[Sequence[Weighed]], Settled]


def decode(reading: Reading) -> Posterior:
    """Weigh everything seen and say what the bitting is, exactly.

    Every bitting that the obeyed rules (and the closed list, if one is given) allow is equally
    likely beforehand; each source multiplies in its likelihood, its unknown offset integrated
    out. Equal to full enumeration within 1e-5, and closer with one instrument alone.

    Arguments: a Reading. Returns a Posterior. Raises NothingAllowed when rules and list leave no
    bitting, BeyondReach when the exact answer is out of reach, InputError for evidence that no
    allowed bitting can explain. Source: the model in ``docs/computation.md``, "Reading".

    >>> from keycore.family import Depth, End, Gauge, Kind
    >>> from keycore.units import Unit
    >>> track = Track("A", (0.2, 0.35), (Depth("1", 0.33), Depth("2", 0.31), Depth("3", 0.29)), macs=1)
    >>> family = Family("f", "F", Kind.EDGE, Unit.INCH, Gauge.SHOULDER, End.BOW, (track,))
    >>> worn = Measured((0.326, None), (0.0015,) * 2, Spread(-0.004, 0.003))
    >>> answer = decode(Reading(family, track, (worn,)))
    >>> answer.settled, round(float(answer.marginals[0, 0]), 3)
    ((0, 1), 0.997)
    """
    settle = _way_of_weighing(reading)
    sources = _weigh_all(reading)
    settled = settle(sources)
    marginals = settled.marginals()
    bittings = settled.likeliest(BITTINGS_GIVEN)
    first = next((s for s, e in enumerate(reading.evidence) if isinstance(e, Measured)), None)
    wear = tuple(
        settled.moments(s) if isinstance(e, Measured | Rounded) else None for s, e in enumerate(reading.evidence)
    )
    offset, tip = (wear[first] if first is not None else None) or (None, None)
    nearest = _nearest(reading, first)
    left_out: dict[str, str] = {}
    return Posterior(
        track=reading.track,
        marginals=marginals,
        bittings=tuple(bittings),
        offset=offset,
        tip=tip,
        nearest=nearest,
        nearest_breaks=tuple(breaks(reading.track, reading.family.rules, nearest or ())),
        measure_again=_measure_again(marginals, bittings[0][1]),
        turn_round=_turn_round(reading, settle, sources, settled.log_total),
        conflicts=_conflicts(settle, sources),
        beyond_rules=_beyond_rules(reading, sources, settled, bittings[0], left_out),
        wear=wear,
        left_out=MappingProxyType(left_out),
    )


def weigh_plainly(reading: Reading) -> Settled:
    """The posterior alone, without what ``decode`` says beyond it. Raises what ``decode`` raises."""
    return _way_of_weighing(reading)(_weigh_all(reading))


def chances_among(reading: Reading) -> dict[tuple[int, ...], float]:
    """The probability of each bitting of the reading's closed list, all together 1.

    Arguments: a Reading with ``among``. What carries less than 1e-7 of the total together is left out.
    Raises InputError for a reading without a list, and what ``decode`` raises.

    >>> from keycore.family import Depth, End, Gauge, Kind
    >>> from keycore.units import Unit
    >>> track = Track("A", (0.2, 0.35), (Depth("1", 0.33), Depth("2", 0.31)))
    >>> family = Family("f", "F", Kind.EDGE, Unit.INCH, Gauge.SHOULDER, End.BOW, (track,))
    >>> chances_among(Reading(family, track, (), among=((0, 0), (0, 1))))
    {(0, 0): 0.5, (0, 1): 0.5}
    """
    found = weigh_plainly(reading)
    if not isinstance(found, Listed):
        raise InputError("among", "is needed")
    return dict(zip(map(tuple, found.bittings.tolist()), found.probability.tolist(), strict=True))


def _way_of_weighing(reading: Reading) -> Settle:
    """A closed list one by one; else along the chain, or from beginnings where that cannot be."""
    macs = "macs" in reading.obey
    rules = reading.family.rules if "rules" in reading.obey else Rules()
    if reading.among is not None:
        listed = _allowed_of(reading, macs, rules)
        if not len(listed):
            raise NothingAllowed("among" if reading.among else "obey", "no bitting at all is allowed")
        return lambda sources: weigh_list(sources, listed)
    return partial(_weigh_open, track=reading.track, allowed=neighbours_allowed(reading.track, macs), rules=rules)


def _weigh_open(sources: Sequence[Weighed], track: Track, allowed: Array, rules: Rules) -> Settled:
    """One instrument under neighbour rules is a chain; several, or other rules, grow from beginnings.

    Where too much is open for that, other rules are weighed bitting by bitting and several
    instruments node by node.
    """
    if not rules.any and sum(len(source.offset) > 1 for source in sources) < 2:
        return weigh_together(sources, allowed)
    keeps = partial(keep_rules, rules=rules) if rules.any else None
    try:
        return weigh_beginnings(sources, allowed, keeps)
    except BeyondReach:
        if not rules.any:
            return weigh_together(sources, allowed)
    except InputError as error:
        none_at_all = rules.any and not len(list_bittings(track, rules, bool((allowed == 0).any())))
        raise NothingAllowed("obey", "no bitting at all is allowed") if none_at_all else error from None
    listed = list_bittings(track, rules, bool((allowed == 0).any()))
    if not len(listed):
        raise NothingAllowed("obey", "no bitting at all is allowed")
    return weigh_list(sources, listed)


def _allowed_of(reading: Reading, macs: bool, rules: Rules) -> NDArray[np.int8]:
    judged = {"macs"} if macs else set()
    kept = sorted(
        steps
        for steps in set(reading.among or ())
        if not any(b.rule in judged or b.rule != "macs" for b in breaks(reading.track, rules, steps))
    )
    return np.array(kept, dtype=np.int8).reshape(len(kept), len(reading.track.spaces))


def _weigh_all(reading: Reading) -> list[Weighed]:
    evidence: Sequence[Evidence] = reading.evidence or (Stated((frozenset(),) * len(reading.track.spaces)),)
    sources = []
    for place, source in enumerate(evidence):
        try:
            sources.append(weigh(source, reading.family, reading.track, reading.stray))
        except InputError as error:
            raise error.under(f"evidence[{place}]") from None
    return sources


def _nearest(reading: Reading, first: int | None) -> tuple[int | None, ...] | None:
    """What a table and a caliper would say; a tie goes to the shallower depth."""
    if first is None:
        return None
    source = reading.evidence[first]
    assert isinstance(source, Measured)
    values = np.array([np.nan if value is None else value for value in source.values])
    away = np.abs(np.array(reading.track.values)[None, :] - values[:, None])
    with np.errstate(invalid="ignore"):
        step = (away <= away.min(axis=1, keepdims=True) + TIE).argmax(axis=1)
    return tuple(None if value is None else int(s) for value, s in zip(source.values, step, strict=True))


def _measure_again(marginals: Array, best: float) -> int | None:
    """The space in most doubt (largest entropy), the lowest on a tie."""
    if best >= SURE_ENOUGH:
        return None
    entropy = -np.sum(marginals * np.log(np.maximum(marginals, 1e-300)), axis=1)
    return int(np.argmax(entropy >= entropy.max() - TIE)) + 1


def _turn_round(reading: Reading, settle: Settle, sources: list[Weighed], as_it_stands: float) -> int | None:
    """The source that agrees far better with the rest when read from the other end."""
    if len(sources) < 2:
        return None
    gains = []
    for place, source in enumerate(reading.evidence):
        turned = weigh(source.turned(), reading.family, reading.track, reading.stray)
        together = [*sources[:place], turned, *sources[place + 1 :]]
        gain = log_bound(together) - as_it_stands
        if gain >= np.log(FAR_BETTER):
            gain = settle(together).log_total - as_it_stands
        gains.append(gain)
    best = int(np.argmax(gains))
    return best if gains[best] >= np.log(FAR_BETTER) else None


def _conflicts(settle: Settle, sources: list[Weighed]) -> tuple[Conflict, ...]:
    if len(sources) < 2:
        return ()
    own = [settle([source]).marginals() for source in sources]
    return tuple(
        Conflict((a, b), int(space) + 1)
        for a, b in combinations(range(len(own)), 2)
        for space in np.flatnonzero(np.minimum(own[a], own[b]).sum(axis=1) < HARDLY_OVERLAP)
    )


def _beyond_rules(
    reading: Reading,
    sources: list[Weighed],
    settled: Settled,
    best: tuple[tuple[int, ...], float],
    left_out: dict[str, str],
) -> BeyondRules | None:
    """Look past the rules, so that an impossible truth is not hidden by a confident wrong answer."""
    log_best = np.log(best[1]) + settled.log_total
    depths = len(reading.track.depths)
    try:
        if log_bound(sources) - log_best < np.log(FAR_BETTER):
            return None
        free = _weigh_open(sources, reading.track, np.ones((depths, depths)), Rules())
        steps, chance = free.likeliest(1)[0]
    except BeyondReach as error:
        left_out["beyond_rules"] = str(error)
        return None
    log_times = np.log(chance) + free.log_total - log_best
    broken = tuple(breaks(reading.track, reading.family.rules, steps))
    if log_times < np.log(FAR_BETTER) or not broken:
        return None
    return BeyondRules(steps, float(np.exp(min(log_times, 700.0))), broken)
