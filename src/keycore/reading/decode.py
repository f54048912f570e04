"""From everything seen to what the key is: the exact posterior of its bitting."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property, partial
from itertools import combinations
from types import MappingProxyType
from typing import Protocol

import numpy as np

from keycore.bittings import MOST_LISTED, keep_rules, list_bittings, neighbours_allowed
from keycore.budget import Budget
from keycore.errors import BeyondReach, InputError, NothingAllowed
from keycore.family import Family, Rules, Track
from keycore.logs import log_sum
from keycore.reading.blade import Blade
from keycore.reading.elimination import bounds_of_pairs, weigh_along
from keycore.reading.evidence import DEFAULT_STRAY, Evidence, Measured, Spread, check_evidence
from keycore.reading.grid import Aim
from keycore.reading.likelihood import Array
from keycore.reading.listed import Bittings, Listed, weigh_list
from keycore.reading.next_look import NextLook, next_look
from keycore.reading.prefixes import weigh_prefixes
from keycore.reading.together import Grids, Together, put_together
from keycore.rules import Break, breaks, count_chain

SURE_ENOUGH = 0.99  # at this chance nothing need be measured again
FAR_BETTER = 100.0  # odds at which a turned source or a broken rule is spoken of
HARDLY_OVERLAP = 0.01  # below this two sources contradict each other
TIE = 1e-9
BITTINGS_GIVEN = 5
FEW = 50_000  # bittings that are weighed one by one at once where several sources have offsets of their own
NEGLIGIBLE = 1e-6  # share of the total that offsets not looked at may carry
TOO_MUCH_TOGETHER = "These sources disagree too much to be weighed together: turn, leave out or look again at one."
RULES_LEFT_OUT = "The family's other rules leave too many bittings to weigh one by one; only MACS was held to."


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
    """A bitting that breaks a rule, or is not on the list, and explains what was seen far better than any other."""

    steps: tuple[int, ...]
    times: float  # how many times better
    breaks: tuple[Break, ...]
    is_listed: bool = True  # False where a closed list was given and it is not on it


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
    ``reading`` what it was worked out from; ``wear`` (s,) offset and tip of every source that has
    them; ``measure_again`` a space from 1; ``turn_round`` the index of a source better read the
    other way; ``left_out`` what could not be worked out and why.
    """

    reading: Reading
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
    def track(self) -> Track:
        """The track that was read."""
        return self.reading.track

    @cached_property
    def look_next(self) -> NextLook | None:
        """What would settle it best, and where."""
        return next_look(self.reading.family, self.track, self.bittings, _first_measured(self.reading))

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


@dataclass(frozen=True)
class Unsettled:
    """What can be said where the sum of all sources together is out of reach: from each source's own sums.

    As in a Posterior; ``left_out`` says under ``bittings`` why there are none.
    """

    track: Track
    nearest: tuple[int | None, ...] | None
    nearest_breaks: tuple[Break, ...]
    turn_round: int | None
    conflicts: tuple[Conflict, ...]
    left_out: Mapping[str, str]


class Settled(Protocol):
    """What every way of weighing offers."""

    @property
    def log_total(self) -> float: ...  # noqa: D102
    def marginals(self) -> Array: ...  # noqa: D102
    def likeliest(self, wanted: int) -> list[tuple[tuple[int, ...], float]]: ...  # noqa: D102
    def moments(self, s: int) -> tuple[Spread, Spread]: ...  # noqa: D102
    def chance_of(self, steps: tuple[int, ...]) -> float: ...  # noqa: D102


Settle = Callable[[Together, Budget], Settled]


def decode(reading: Reading) -> Posterior:
    """Weigh everything seen and say what the bitting is, exactly.

    Every bitting that the obeyed rules (and the closed list, if one is given) allow is equally
    likely beforehand; each source multiplies in its likelihood, its unknown offset integrated
    out. Equal to full enumeration within 1e-4, and closer with one instrument alone.

    Arguments: a Reading. Returns a Posterior. Raises NothingAllowed when rules and list leave no
    bitting, BeyondReach when the exact answer is out of reach (see ``look_over``), InputError for evidence that no
    allowed bitting can explain. Source: the model in ``docs/computation.md``, "Reading".

    >>> from keycore.family import Depth, End, Gauge
    >>> from keycore.kinds import kind_of
    >>> from keycore.units import Unit
    >>> track = Track("A", (0.2, 0.35), (Depth("1", 0.33), Depth("2", 0.31), Depth("3", 0.29)), macs=1)
    >>> family = Family("f", "F", kind_of("edge"), Unit.INCH, Gauge.SHOULDER, End.BOW, (track,))
    >>> worn = Measured((0.326, None), (0.0015,) * 2, Spread(-0.004, 0.003))
    >>> answer = decode(Reading(family, track, (worn,)))
    >>> answer.settled, round(float(answer.marginals[0, 0]), 3)
    ((0, 1), 0.997)
    """
    found = look_over(reading)
    if isinstance(found, Unsettled):
        raise BeyondReach("evidence", found.left_out["bittings"])
    return found


def look_over(reading: Reading) -> Posterior | Unsettled:
    """What ``decode`` says, or, where that is out of reach, what each source's own sums say of the others.

    Arguments: a Reading. Returns a Posterior or an Unsettled. Raises BeyondReach where even one source alone is out
    of reach, else what ``decode`` raises.
    """
    budget = Budget()
    weighing = Weighing.of(reading)
    left_out: dict[str, str] = {}
    conflicts = _conflicts(weighing, budget)
    first = next((s for s, e in enumerate(reading.evidence) if isinstance(e, Measured)), None)
    nearest = _nearest(reading, first)
    nearest_breaks = tuple(breaks(reading.track, reading.family.rules, nearest or ()))
    of_main = budget.part(0.6)
    try:
        together, settled = weighing.settle(of_main)
        bittings = settled.likeliest(BITTINGS_GIVEN)
    except BeyondReach as error:
        if len(reading.evidence) < 2:
            raise
        budget.give_back(of_main)
        left_out["bittings"] = error.reason
        turned = _turn_round_at_least(weighing, budget, left_out)
        return Unsettled(reading.track, nearest, nearest_breaks, turned, conflicts, MappingProxyType(left_out))
    budget.give_back(of_main)
    wear = tuple(None if group is None else settled.moments(group) for group in together.group_of)
    offset, tip = (wear[first] if first is not None else None) or (None, None)
    marginals = settled.marginals()
    return Posterior(
        reading=reading,
        marginals=marginals,
        bittings=tuple(bittings),
        offset=offset,
        tip=tip,
        nearest=nearest,
        nearest_breaks=nearest_breaks,
        measure_again=_measure_again(marginals, bittings[0][1]),
        turn_round=_turn_round(weighing, settled.log_total, budget, left_out),
        conflicts=conflicts,
        beyond_rules=_beyond_rules(weighing, settled, bittings[0], budget, left_out),
        wear=wear,
        left_out=MappingProxyType(left_out),
    )


def weigh_plainly(reading: Reading) -> Settled:
    """The posterior alone, without what ``decode`` says beyond it. Raises what ``decode`` raises."""
    return Weighing.of(reading).settle(Budget())[1]


def chances_among(reading: Reading) -> dict[tuple[int, ...], float]:
    """The probability of each bitting of the reading's closed list, all together 1.

    Arguments: a Reading with ``among``. Raises InputError for a reading without a list, and what ``decode`` raises.

    >>> from keycore.family import Depth, End, Gauge
    >>> from keycore.kinds import kind_of
    >>> from keycore.units import Unit
    >>> track = Track("A", (0.2, 0.35), (Depth("1", 0.33), Depth("2", 0.31)))
    >>> family = Family("f", "F", kind_of("edge"), Unit.INCH, Gauge.SHOULDER, End.BOW, (track,))
    >>> chances_among(Reading(family, track, (), among=((0, 0), (0, 1))))
    {(0, 0): 0.5, (0, 1): 0.5}
    """
    found = weigh_plainly(reading)
    if not isinstance(found, Listed):
        raise InputError("among", "is needed")
    return dict(zip(map(tuple, found.bittings.tolist()), found.probability.tolist(), strict=True))


@dataclass(frozen=True)
class Weighing:
    """A reading and the way its bittings are summed: among which, under which rules."""

    reading: Reading
    settle_with: Settle
    grids: Grids = field(default_factory=dict)

    @classmethod
    def of(cls, reading: Reading) -> Weighing:
        """A closed list is weighed one by one; else whatever neighbours and rules allow. Raises NothingAllowed."""
        macs = "macs" in reading.obey
        rules = reading.family.rules if "rules" in reading.obey else Rules()
        if reading.among is not None:
            listed = _allowed_of(reading, macs, rules)
            if not len(listed):
                raise NothingAllowed("among" if reading.among else "obey", "no bitting at all is allowed")
            return cls(reading, partial(_weigh_listed, listed=listed))
        return cls(reading, partial(_weigh_open, track=reading.track, obey_macs=macs, rules=rules))

    def free_of_rules(self) -> Weighing:
        """The same reading, whatever rules it keeps."""
        settle_with = partial(_weigh_open, track=self.reading.track, obey_macs=False, rules=Rules())
        return replace(self, settle_with=settle_with)

    def of_only(self, *evidence: Evidence) -> Weighing:
        """The same of other sources."""
        return replace(self, reading=replace(self.reading, evidence=evidence))

    def settle(self, budget: Budget) -> tuple[Together, Settled]:
        """Weigh, and weigh again with a wider grid until what was not looked at is next to nothing.

        Raises BeyondReach beyond the budget, InputError where nothing explains the evidence.
        """
        aims: dict[int, Aim] = {}
        while True:
            together = put_together(self.reading, aims, budget, self.grids)
            settled = self.settle_with(together, budget)
            short = [unseen - settled.log_total - np.log(NEGLIGIBLE) for unseen in together.log_unseen()]
            if max(short) <= 0:
                return together, settled
            aims = together.widened(short)

    def log_highest(self, budget: Budget) -> Iterator[float]:
        """Bounds from above of the log of everything seen, whatever the rules, each closer than the one before.

        Raises BeyondReach where the next is out of reach.
        """
        aims: dict[int, Aim] = {}
        while True:
            together = put_together(self.reading, aims, budget, self.grids)
            found, unseen = _log_highest(together, budget), together.log_unseen()
            yield log_sum(np.array([found, *unseen]))
            short = [each - found - np.log(NEGLIGIBLE) for each in unseen]
            if max(short) <= 0:
                return
            aims = together.widened(short)


def _log_highest(together: Together, budget: Budget) -> float:
    """The least of the bounds that each pair of sources gives: both together, times the most of each of the rest."""
    sources = together.sources
    if len(sources) == 1:
        return sources[0].log_all
    most = [source.log_most for source in sources]
    found = np.inf
    for a, b in combinations(range(len(sources)), 2):
        pairs = bounds_of_pairs(sources[a].log_prior, sources[a].log_emission, sources[b], budget)
        both = log_sum(np.array([log_sum(bounds) for _, bounds in pairs]))
        found = min(found, both + sum(most) - most[a] - most[b])
    return found


def _weigh_listed(together: Together, budget: Budget, listed: Bittings) -> Settled:
    return weigh_list(together.sources, listed, together.ties, budget)


def _weigh_open(together: Together, budget: Budget, track: Track, obey_macs: bool, rules: Rules) -> Settled:
    """Along the blade where one offset is unknown and no rule reaches further than neighbours.

    Else from prefixes, where what was seen leaves few; else one by one, where few are allowed; else, of two offsets
    or more, by every combination of them that matters.
    """
    allowed = neighbours_allowed(track, obey_macs)
    sources, ties = together.sources, together.ties
    blade = Blade.of(len(track.spaces), allowed, ties)
    if not rules.any and len(sources) == 1 and not ties:
        return weigh_along(sources, blade, budget)
    count = count_chain(track, obey_macs)
    if not rules.any and count <= FEW:
        return weigh_list(sources, list_bittings(track, rules, obey_macs), ties, budget)
    if not rules.any and len(sources) == 1 and len(sources[0].log_prior) == 1:
        return weigh_along(sources, blade, budget)
    keeps = partial(keep_rules, rules=rules) if rules.any else None
    part = budget.part(0.4)
    found = weigh_prefixes(sources, allowed, keeps, ties, part)
    budget.give_back(part)
    if found is not None:
        return found
    if rules.any or count <= MOST_LISTED:
        listed = list_bittings(track, rules, obey_macs)
        if not len(listed):
            raise NothingAllowed("obey", "no bitting at all is allowed")
        return weigh_list(sources, listed, ties, budget)
    return weigh_along(sources, blade, budget)


def _allowed_of(reading: Reading, macs: bool, rules: Rules) -> Bittings:
    judged = {"macs"} if macs else set()
    kept = sorted(
        steps
        for steps in set(reading.among or ())
        if not any(b.rule in judged or b.rule != "macs" for b in breaks(reading.track, rules, steps))
    )
    return np.array(kept, dtype=np.int8).reshape(len(kept), len(reading.track.spaces))


def _first_measured(reading: Reading) -> Measured | None:
    return next((source for source in reading.evidence if isinstance(source, Measured)), None)


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


def _turn_round(weighing: Weighing, as_it_stands: float, budget: Budget, left_out: dict[str, str]) -> int | None:
    """The source that agrees far better with the rest when read from the other end."""
    evidence = weighing.reading.evidence
    if len(evidence) < 2 or weighing.reading.family.kind.why_not_turned(weighing.reading.track):
        return None
    gains = []
    for place, source in enumerate(evidence):
        turned = weighing.of_only(*evidence[:place], source.turned(), *evidence[place + 1 :])
        part = budget.part(1 / (len(evidence) + 1 - place))
        try:
            gains.append(_log_if_far_better(turned, as_it_stands, part) - as_it_stands)
        except BeyondReach as error:
            gains.append(-np.inf)
            left_out["reversed"] = error.reason
        budget.give_back(part)
    best = int(np.argmax(np.array(gains) >= max(gains) - TIE * 1e3))
    return best if gains[best] >= np.log(FAR_BETTER) else None


def _turn_round_at_least(weighing: Weighing, budget: Budget, left_out: dict[str, str]) -> int | None:
    """The same where the sum as it stands is out of reach: turned, everything is far likelier than it can be so."""
    reading = weighing.reading
    if len(reading.evidence) < 2 or reading.family.kind.why_not_turned(reading.track):
        return None
    try:
        for at_most in weighing.log_highest(budget):
            turned = _turn_round(weighing, at_most, budget, left_out)
            if turned is not None:
                left_out.pop("reversed", None)
                return turned
    except BeyondReach as error:
        left_out["reversed"] = error.reason
        return None
    left_out.setdefault("reversed", "not to be told without the sum of all sources together")
    return None


def _log_if_far_better(turned: Weighing, as_it_stands: float, budget: Budget) -> float:
    """The log of everything seen with a source turned; a bound of it from above where that is not far better."""
    together = put_together(turned.reading, {}, budget, turned.grids)
    bound = together.sources[0].log_all + sum(source.log_most for source in together.sources[1:])
    at_most = log_sum(np.array([bound, *together.log_unseen()]))
    if at_most - as_it_stands < np.log(FAR_BETTER):
        return at_most
    try:
        return turned.settle(budget)[1].log_total
    except BeyondReach:
        raise
    except InputError:  # nothing explains it that way round
        return -np.inf


def _of_source(error: InputError, place: int) -> InputError:
    """An error of one source weighed by itself, named by where that one stands among all."""
    own = error.field.removeprefix("evidence[0]").lstrip(".")
    return (
        type(error)(own, error.reason).under(f"evidence[{place}]")
        if own
        else type(error)(f"evidence[{place}]", error.reason)
    )


def _conflicts(weighing: Weighing, budget: Budget) -> tuple[Conflict, ...]:
    evidence = weighing.reading.evidence
    if len(evidence) < 2:
        return ()
    own = []
    for place, source in enumerate(evidence):
        try:
            own.append(weighing.of_only(source).settle(budget)[1].marginals())
        except InputError as error:
            raise (error if isinstance(error, NothingAllowed) else _of_source(error, place)) from None
    return tuple(
        Conflict((a, b), int(space) + 1)
        for a, b in combinations(range(len(own)), 2)
        for space in np.flatnonzero(np.minimum(own[a], own[b]).sum(axis=1) < HARDLY_OVERLAP)
    )


def _beyond_rules(
    weighing: Weighing,
    settled: Settled,
    best: tuple[tuple[int, ...], float],
    budget: Budget,
    left_out: dict[str, str],
) -> BeyondRules | None:
    """Look past the rules, so that an impossible truth is not hidden by a confident wrong answer."""
    reading = weighing.reading
    log_best = np.log(best[1]) + settled.log_total
    free = weighing.free_of_rules()
    try:
        together = put_together(reading, {}, budget, free.grids)
        bound = together.sources[0].log_all + sum(source.log_most for source in together.sources[1:])
        if log_sum(np.array([bound, *together.log_unseen()])) - log_best < np.log(FAR_BETTER):
            return None
        found = free.settle(budget)[1]
        steps, chance = found.likeliest(1)[0]
    except BeyondReach as error:
        left_out["beyond_rules"] = error.reason
        return None
    log_times = np.log(chance) + found.log_total - log_best
    broken = tuple(breaks(reading.track, reading.family.rules, steps))
    is_listed = reading.among is None or tuple(steps) in reading.among
    if log_times < np.log(FAR_BETTER) or not (broken or not is_listed):
        return None
    return BeyondRules(tuple(steps), float(np.exp(min(log_times, 700.0))), broken, is_listed)
