"""The keys to try where some cuts are not known: the list that is left, and the next key to cut on which blank."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import islice

from django.conf import settings
from django.db.models import Max, QuerySet

from keycore.codes.half_steps import half_step_value
from keycore.codes.orders import Order
from keycore.codes.trials import Places, Sheet, ToTry, keys_of_all_tracks, keys_to_try
from keycore.errors import InputError
from keycore.family import Family, Track
from keycore.proving.lock import play_of
from keycore.reading.decode import Reading
from keycore.reading.evidence import Evidence
from keycore.reading.instruments import SHOP_STRAY
from wryfalcon.bench.models import Outcome, Piece, SheetEntry, Tag, TrialOrder, TrialSheet
from wryfalcon.bench.reading.queries import TrackReading
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
    cuts: tuple[tuple[str, str], ...]  # space as the source counts, and what it is cut to
    labels: tuple[str, ...]
    spelled: str  # the same, of several tracks each after its name
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
    of_all: int | None = None  # keys there are, where only the likeliest are listed
    share: float = 1.0  # chance that those listed have together
    problem: str = ""  # why it cannot be listed
    is_read: bool = True
    rests_on: int = 0  # the last line of the sheet that it was worked out by, 0 for none

    @property
    def next(self) -> KeyToTry | None:
        """The key to cut now."""
        return self.trials[0] if self.trials else None

    @property
    def new_blanks(self) -> int:
        """How many blanks are still to be begun in the order chosen, if every try is needed."""
        return len({trial.blank for trial in self.trials if trial.is_new})


@dataclass(frozen=True)
class Spelled:
    """A cut of a key to try: its number, its name among all, and what it is called at each place."""

    number: int
    name: str
    words: tuple[str, ...]


@dataclass(frozen=True)
class _Asked:
    """All that the list of a sheet depends on: of each track what is known and was seen, and the sheet's own tries."""

    document: str
    tracks: tuple[str, ...]
    own: tuple[Sheet, ...]
    evidence: tuple[tuple[Evidence, ...], ...]
    sheet: Sheet


def sheet_of(tag: Tag, track: str) -> TrialSheet:
    """The trial sheet of a track, not kept yet when nothing was noted on it."""
    return _sheets(tag, track).first() or TrialSheet(tag=tag, track=track)


def _sheets(tag: Tag, track: str) -> QuerySet[TrialSheet]:
    return tag.trial_sheets.filter(track=track).select_related("series")


def entries_of(sheet: TrialSheet) -> list[SheetEntry]:
    """What was noted on a sheet and stands."""
    return _entries(sheet) if sheet.pk else []


def _entries(sheet: TrialSheet) -> list[SheetEntry]:
    return list(sheet.entries.filter(withdrawn=False).select_related("by"))


def last_line(sheet: TrialSheet) -> int:
    """The last line of a tag's sheet of that track which stands, 0 for none."""
    lines = SheetEntry.objects.filter(sheet__tag=sheet.tag_id, sheet__track=sheet.track, withdrawn=False)
    return lines.aggregate(last=Max("pk"))["last"] or 0


def out_of(sheet: TrialSheet) -> SheetEntry | None:
    """The key of a sheet that a machine is to cut or has cut, and that was not tried yet; None where there is none."""
    if sheet.pk is None:
        return None
    return _sent(sheet).first()


def _sent(sheet: TrialSheet) -> QuerySet[SheetEntry]:
    return sheet.entries.filter(withdrawn=False, outcome=Outcome.SENT).select_related("piece__machine", "sheet")


def sheet_of_piece(piece: Piece) -> str | None:
    """The track of the sheet that a made key is a try of, still to be tried in its lock; None for any other."""
    if piece.settlement_id is not None or piece.set_up_id is None:
        return None
    out = piece.tries.filter(withdrawn=False, outcome=Outcome.SENT).values_list("sheet__track", flat=True)
    return out.first()


def left_to_try(reading: TrackReading, sheet: TrialSheet, entries: Sequence[SheetEntry]) -> SheetLeft:
    """What the reading, the rules, the series and the sheet itself leave, in the sheet's order."""
    if reading.posterior is None or reading.steps is None:
        return SheetLeft(is_read=False)
    known, begun = _known(reading, entries), begun_blanks(entries)
    try:
        asked = _Asked(
            document=reading.document,
            tracks=(reading.track.name,),
            own=(Sheet(known=known, among=_codes_of(sheet.series, reading.track, known) if sheet.series else None),),
            evidence=(_evidence(reading),),
            sheet=_tried_so_far(
                entries, begun, half_steps=sheet.half_steps and can_halve(reading.family, reading.track)
            ),
        )
        halves = can_halve(reading.family, reading.track)
        left = _ordered(asked, sheet, tuple(begun), _columns(reading), halves=halves)
        return replace(left, rests_on=last_line(sheet))
    except InputError as error:
        return SheetLeft(problem=error.reason)


def left_of_all(readings: Sequence[TrackReading], sheet: TrialSheet, entries: Sequence[SheetEntry]) -> SheetLeft:
    """The same of all tracks together, with what was learned on the sheet of each."""
    unread = [reading.track.name for reading in readings if reading.posterior is None or reading.steps is None]
    if unread:
        return SheetLeft(problem=f"nothing is read yet of {' and '.join(unread)}")
    begun = begun_blanks(entries)
    own = [sheet_of(sheet.tag, reading.track.name) for reading in readings]
    known = [_known(reading, entries_of(its)) for reading, its in zip(readings, own, strict=True)]
    try:
        asked = _Asked(
            document=readings[0].document,
            tracks=tuple(reading.track.name for reading in readings),
            own=tuple(
                Sheet(known=each, among=_codes_of(its.series, reading.track, each) if its.series else None)
                for reading, its, each in zip(readings, own, known, strict=True)
            ),
            evidence=tuple(_evidence(reading) for reading in readings),
            sheet=_tried_so_far(entries, begun),
        )
        columns = tuple(column for reading in readings for column in _columns(reading, names_track=True))
        return replace(_ordered(asked, sheet, tuple(begun), columns, halves=False), rests_on=last_line(sheet))
    except InputError as error:
        return SheetLeft(problem=error.reason)


def _evidence(reading: TrackReading) -> tuple[Evidence, ...]:
    return tuple(source.evidence for source in reading.weighed if source.evidence is not None)


def _tried_so_far(entries: Sequence[SheetEntry], begun: Sequence[Begun], *, half_steps: bool = False) -> Sheet:
    """What a sheet's own tries say; what is known of each cut is its tracks'."""
    return Sheet(
        known=(),
        tried=tuple(tuple(e.places) for e in entries if e.outcome == Outcome.NO_TURN),
        turned=tuple(tuple(e.places) for e in entries if e.outcome == Outcome.TURNS),
        begun=tuple(blank.places for blank in begun),
        half_steps=half_steps,
    )


def _ordered(
    asked: _Asked, sheet: TrialSheet, begun: tuple[Begun, ...], columns: tuple[Spelled, ...], *, halves: bool
) -> SheetLeft:
    """What is left, in the sheet's order."""
    left = _left(asked)
    costs = [Cost(which, each.blanks, each.expected, each.begun) for which, each in _orders(left).items()]
    cheapest = min(costs, key=lambda cost: cost.price).order if costs else TrialOrder.WITHIN
    chosen = cheapest if sheet.order == TrialOrder.CHEAPEST else TrialOrder(sheet.order)
    costs = [replace(c, is_chosen=c.order == chosen, is_cheapest=c.order == cheapest) for c in costs]
    trials = _trials(asked, chosen, begun, columns)
    return SheetLeft(len(left.candidates), trials, tuple(costs), halves, left.of_all, left.share)


def _columns(reading: TrackReading, *, names_track: bool = False) -> tuple[Spelled, ...]:
    """How each cut of a track is named and spelled, counted as the reading is."""
    words = tuple(cut_words(reading.track, place) for place in range(2 * len(reading.track.depths)))
    shown = list(range(1, len(reading.track.spaces) + 1))[:: -1 if reading.is_turned else 1]
    return tuple(
        Spelled(number, f"{reading.track.name} {number}" if names_track else str(number), words) for number in shown
    )


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
    parts = [
        (Reading(family, family.track(name), evidence, frozenset(), SHOP_STRAY), own)
        for name, own, evidence in zip(asked.tracks, asked.own, asked.evidence, strict=True)
    ]
    if len(parts) > 1:
        return keys_of_all_tracks(parts, asked.sheet)
    ((reading, own),) = parts
    return keys_to_try(reading, replace(asked.sheet, known=own.known, among=own.among))


def _orders(left: ToTry) -> dict[TrialOrder, Order]:
    """The orders by what a sheet calls them; none where no key is left."""
    named = {TrialOrder.WITHIN: left.within, TrialOrder.BLANKS: left.by_blank, TrialOrder.LIKELIEST: left.likeliest}
    return {name: order for name, order in named.items() if order is not None}


@kept(64)
def _trials(asked: _Asked, which: str, begun: tuple[Begun, ...], columns: tuple[Spelled, ...]) -> tuple[KeyToTry, ...]:
    """The tries with the cuts that change on their blanks, named and spelled by the columns."""
    left = _left(asked)
    order = _orders(left).get(TrialOrder(which))
    if order is None:
        return ()
    number_of = {index: blank.number for index, blank in enumerate(begun)}
    at = {blank.number: blank.places for blank in begun}
    fresh = max((blank.number for blank in begun), default=0) + 1
    many = len(asked.tracks) > 1
    found: list[KeyToTry] = []
    for each in order.tries:
        if each.blank not in number_of:
            number_of[each.blank], fresh = fresh, fresh + 1
        number = number_of[each.blank]
        before = at.get(number, (None,) * len(columns))
        changed = [column for column, (was, now) in enumerate(zip(before, each.steps, strict=True)) if was != now]
        at[number] = each.steps
        in_order = changed if many else sorted(changed, key=lambda column: columns[column].number)
        found.append(
            KeyToTry(
                number, each.blank >= len(begun), each.steps,
                tuple((columns[n].name, columns[n].words[each.steps[n]]) for n in in_order),
                labels := tuple([columns[n].words[place] for n, place in enumerate(each.steps)]),
                _spelled(asked, labels), left.chances[each.steps],
                len(left.halving.stands_for(left.candidates, each.steps)) if not found else 1,
            )
        )  # fmt: skip
    return tuple(found)


def _spelled(asked: _Asked, labels: Sequence[str]) -> str:
    if len(asked.tracks) == 1:
        return " ".join(labels)
    family, left = parsed(asked.document), iter(labels)
    parts = ((name, islice(left, len(family.track(name).spaces))) for name in asked.tracks)
    return ", ".join(f"{name} {' '.join(part)}" for name, part in parts)


def cut_words(track: Track, place: int) -> str:
    """What a space is cut to: a depth, or the half step between two."""
    step = place // 2
    return f"{track.labels[step]}½" if place % 2 else track.labels[step]
