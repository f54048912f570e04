"""The keys to try where some cuts are not known: the list that is left, and the next key to cut on which blank."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from django.conf import settings

from keycore.codes.half_steps import half_step_value
from keycore.codes.orders import Order
from keycore.codes.trials import Places, Sheet, ToTry, keys_to_try
from keycore.errors import InputError
from keycore.family import Family, Track
from keycore.proving.lock import play_of
from keycore.reading.decode import Reading
from keycore.reading.evidence import Evidence
from keycore.reading.instruments import SHOP_STRAY
from wryfalcon.bench.models import Outcome, Piece, SheetEntry, Tag, TrialOrder, TrialSheet
from wryfalcon.bench.queries.reading import TrackReading
from wryfalcon.codes.models import Series
from wryfalcon.codes.queries.by_bitting import Table
from wryfalcon.documents import parsed
from wryfalcon.kept import kept

STILL_POSSIBLE = 0.01  # a depth less likely than this is not tried
FIRST_SHOWN, MOST_SHOWN = 12, 400
Known = tuple[frozenset[int], ...]


@dataclass(frozen=True)
class Begun:
    """A blank in hand: its number on the sheet and what it is cut to."""

    number: int
    places: Places


@dataclass(frozen=True)
class KeyToTry:
    """One key to try: its blank, the cuts that change on it, the key it then is, and its chance."""

    blank: int
    is_new: bool
    places: Places
    cuts: tuple[tuple[int, str], ...]  # space as the source counts, and what it is cut to
    labels: tuple[str, ...]
    chance: float
    stands_for: int  # bittings, more than one with half steps; worked out for the first try alone

    @property
    def cut_words(self) -> str:
        """What is cut on the blank for it."""
        return ", ".join(f"{space} to {label}" for space, label in self.cuts)

    @property
    def form_value(self) -> str:
        """The try as a form sends it back."""
        return f"{self.blank}:{','.join(map(str, self.places))}"


@dataclass(frozen=True)
class Cost:
    """What an order would take."""

    order: TrialOrder
    blanks: int
    expected: float
    begun: float  # new blanks, on average
    is_chosen: bool = False
    is_cheapest: bool = False

    @property
    def minutes(self) -> float:
        """At the bench, on average."""
        return self.expected * settings.TRY_MINUTES

    @property
    def price(self) -> float:
        """Time and blanks together, on average, in the shop's money."""
        return self.minutes / 60 * settings.HOUR_PRICE + self.begun * settings.BLANK_PRICE

    @property
    def name(self) -> str:
        """The order in words."""
        return self.order.label


@dataclass(frozen=True)
class SheetLeft:
    """What is left to try, and what each order would cost; a problem where it cannot be listed."""

    candidates: int = 0
    trials: tuple[KeyToTry, ...] = ()
    costs: tuple[Cost, ...] = ()
    can_halve: bool = False
    problem: str = ""  # why it cannot be listed
    is_read: bool = True

    @property
    def next(self) -> KeyToTry | None:
        """The key to cut now."""
        return self.trials[0] if self.trials else None

    @property
    def new_blanks(self) -> int:
        """How many blanks are still to be begun in the order chosen, if every try is needed."""
        return len({trial.blank for trial in self.trials if trial.is_new})


@dataclass(frozen=True)
class _Asked:
    """All that the list of a sheet depends on."""

    document: str
    track: str
    sheet: Sheet
    evidence: tuple[Evidence, ...]


def sheet_of(tag: Tag, track: str) -> TrialSheet:
    """The trial sheet of a track, not kept yet when nothing was noted on it."""
    return tag.trial_sheets.filter(track=track).select_related("series").first() or TrialSheet(tag=tag, track=track)


def entries_of(sheet: TrialSheet) -> list[SheetEntry]:
    """What was noted on a sheet and stands."""
    return list(sheet.entries.filter(withdrawn=False).select_related("by")) if sheet.pk else []


def out_of(sheet: TrialSheet) -> SheetEntry | None:
    """The key of a sheet that a machine is to cut or has cut, and that was not tried yet; None where there is none."""
    if sheet.pk is None:
        return None
    out = sheet.entries.filter(withdrawn=False, outcome=Outcome.SENT).select_related("piece__machine", "sheet")
    return out.first()


def sheet_of_piece(piece: Piece) -> str:
    """The track of the sheet that a made key is a try of, still to be tried in its lock; "" for any other."""
    if piece.settlement_id is not None or piece.set_up_id is None:
        return ""
    out = piece.tries.filter(withdrawn=False, outcome=Outcome.SENT).values_list("sheet__track", flat=True)
    return out.first() or ""


def left_to_try(reading: TrackReading, sheet: TrialSheet, entries: Sequence[SheetEntry]) -> SheetLeft:
    """What the reading, the rules, the series and the sheet itself leave, in the sheet's order."""
    if reading.posterior is None or reading.steps is None:
        return SheetLeft(is_read=False)
    known, begun = _known(reading, entries), begun_blanks(entries)
    try:
        asked = _Asked(
            document=reading.document,
            track=reading.track.name,
            sheet=Sheet(
                known=known,
                among=_codes_of(sheet.series, reading.track, known) if sheet.series else None,
                tried=tuple(tuple(e.places) for e in entries if e.outcome == Outcome.NO_TURN),
                turned=tuple(tuple(e.places) for e in entries if e.outcome == Outcome.TURNS),
                begun=tuple(blank.places for blank in begun),
                half_steps=sheet.half_steps and can_halve(reading.family, reading.track),
            ),
            evidence=tuple(source.evidence for source in reading.weighed if source.evidence is not None),
        )
        left = _left(asked)
    except InputError as error:
        return SheetLeft(problem=error.reason)
    costs = [Cost(which, each.blanks, each.expected, each.begun) for which, each in _orders(left).items()]
    cheapest = min(costs, key=lambda cost: cost.price).order if costs else TrialOrder.WITHIN
    chosen = cheapest if sheet.order == TrialOrder.CHEAPEST else TrialOrder(sheet.order)
    costs = [replace(c, is_chosen=c.order == chosen, is_cheapest=c.order == cheapest) for c in costs]
    trials = _trials(asked, chosen, tuple(begun), reading.is_turned)
    return SheetLeft(len(left.candidates), trials, tuple(costs), can_halve(reading.family, reading.track))


def can_halve(family: Family, track: Track) -> bool:
    """Whether the family's play lets one cut stand for two depths anywhere."""
    try:
        play = play_of(family)
    except InputError:
        return False
    return any(half_step_value(track, play, step) is not None for step in range(len(track.depths)))


def begun_blanks(entries: Sequence[SheetEntry]) -> list[Begun]:
    """The blanks in hand as they are cut now, without the spoiled ones."""
    at: dict[int, Places] = {}
    for entry in entries:
        if entry.blank is not None and entry.outcome == Outcome.SPOILED:
            at.pop(entry.blank, None)
        elif entry.blank is not None:
            at[entry.blank] = tuple(entry.places)
    return [Begun(number, places) for number, places in sorted(at.items())]


def _known(reading: TrackReading, entries: Sequence[SheetEntry]) -> Known:
    """The depths that each space may still have; only what the sheet itself learned can leave none."""
    assert reading.posterior is not None
    every = frozenset(range(len(reading.track.depths)))
    known: list[frozenset[int]] = []
    for space, row in enumerate(reading.posterior.marginals, start=1):
        judged = reading.overruled.get(space)
        if judged is not None and not judged.filled:
            known.append(frozenset({reading.track.step(judged.label)}))
        elif space in reading.known:
            known.append(frozenset(step for step, chance in enumerate(row) if chance >= STILL_POSSIBLE))
        else:
            known.append(every)
    for entry in entries:
        if entry.space is not None:
            step = frozenset({reading.track.step(entry.label)})
            before = known[entry.space - 1]
            known[entry.space - 1] = before & step if entry.outcome == Outcome.IS else before - step
    return tuple(known)


def _codes_of(series: Series, track: Track, known: Known) -> tuple[tuple[int, ...], ...]:
    """The bittings of a series that what is known leaves."""
    table = Table(series, track)
    return tuple(sorted(set(map(tuple, table.steps(table.agreeing(known)).tolist()))))


@kept(64)
def _left(asked: _Asked) -> ToTry:
    family = parsed(asked.document)
    reading = Reading(family, family.track(asked.track), asked.evidence, frozenset(), SHOP_STRAY)
    return keys_to_try(reading, asked.sheet)


def _orders(left: ToTry) -> dict[TrialOrder, Order]:
    """The orders by what a sheet calls them; none where no key is left."""
    named = {TrialOrder.WITHIN: left.within, TrialOrder.BLANKS: left.by_blank, TrialOrder.LIKELIEST: left.likeliest}
    return {name: order for name, order in named.items() if order is not None}


@kept(64)
def _trials(asked: _Asked, which: str, begun: tuple[Begun, ...], is_turned: bool) -> tuple[KeyToTry, ...]:
    """The tries with the cuts that change on their blanks, counted as the reading is."""
    left, track = _left(asked), parsed(asked.document).track(asked.track)
    order = _orders(left).get(TrialOrder(which))
    if order is None:
        return ()
    number_of = {index: blank.number for index, blank in enumerate(begun)}
    at = {blank.number: blank.places for blank in begun}
    fresh = max((blank.number for blank in begun), default=0) + 1
    words = [cut_words(track, place) for place in range(2 * len(track.depths))]
    shown = list(range(1, len(track.spaces) + 1))[:: -1 if is_turned else 1]
    found: list[KeyToTry] = []
    for each in order.tries:
        if each.blank not in number_of:
            number_of[each.blank], fresh = fresh, fresh + 1
        number = number_of[each.blank]
        before = at.get(number, (None,) * len(shown))
        changed = [space for space, (was, now) in enumerate(zip(before, each.steps, strict=True)) if was != now]
        at[number] = each.steps
        found.append(
            KeyToTry(
                number, each.blank >= len(begun), each.steps,
                tuple(sorted((shown[space], words[each.steps[space]]) for space in changed)),
                tuple([words[place] for place in each.steps]), left.chances[each.steps],
                len(left.halving.stands_for(left.candidates, each.steps)) if not found else 1,
            )
        )  # fmt: skip
    return tuple(found)


def cut_words(track: Track, place: int) -> str:
    """What a space is cut to: a depth, or the half step between two."""
    step = place // 2
    return f"{track.labels[step]}½" if place % 2 else track.labels[step]
