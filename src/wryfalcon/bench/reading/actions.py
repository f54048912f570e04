"""Values and labels as they are typed or tapped: nothing is overwritten, and nothing is ever lost."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from django.db.models import Max

from keycore.coordinate import Coordinate
from keycore.family import Track
from keycore.kind import Aid
from keycore.reading.instruments import depth_under_pin
from keycore.units import Unit
from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.bench.models import Beside, CutMark, Piece, Sighting, Source, SourceKind, Swing, Tag, TumblerSeen
from wryfalcon.bench.reading.source_actions import add_source, calipers_of
from wryfalcon.bench.tags.actions import check_read
from wryfalcon.lengths import NotALength, Understood, can_measure, figure, meant_in_other_unit, parse_value, say_value
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event
from wryfalcon.refusal import NotDone, SecondLook, refuse_another_last

CALIPERS = SourceKind.CALIPERS
HALF = "½"


@dataclass(frozen=True)
class Typed:
    """A value as it came from the keyboard, for a space in the family's own order."""

    track: str
    space: int
    text: str
    unit: Unit  # the unit the person works in
    key: str = ""  # of the entry: said twice, it is kept once
    known: int | None = None  # values of that cut that the page knew of; None does not ask

    @property
    def named(self) -> str:
        """The key as it is kept."""
        return self.key[:32]


def add_values(actor: User, tag: Tag, entries: Sequence[Typed], source: Source | None = None) -> list[Understood]:
    """Write several values down, all or none. Raises NotDone with what to type instead."""
    return all_or_none(entries, lambda typed: add_value(actor, tag, typed, source))


@action
def all_or_none(entries: Sequence[Typed], add: Callable[[Typed], Understood]) -> list[Understood]:
    """Add entries one after another; where one is refused none is kept, which the refusal says."""
    try:
        return [add(typed) for typed in entries]
    except NotDone as refusal:
        if len(entries) > 1:
            refusal.says = f"None of the {len(entries)} was kept. {refusal.says}"
        raise


@action
def add_value(actor: User, tag: Tag, typed: Typed, source: Source | None = None) -> Understood:
    """Write one value down, for the calipers where no source is named. Raises NotDone with what to type instead.

    The same entry again, by its key, is kept once. Raises SecondLook for a cut with more values than the
    page knew of.
    """
    check_read(tag)
    track = tag.family.track(typed.track)
    _check_space(track, typed.space)
    kept = Sighting.objects.filter(source__tag=tag)
    if typed.named and (before := kept.filter(key=typed.named, space=typed.space).first()):
        return Understood(before.value or 0.0, "")
    of_it = {"source": source} if source is not None else {"source__track": typed.track, "source__kind": CALIPERS}
    have = kept.filter(withdrawn=False, source__removed=False, space=typed.space, **of_it).exclude(value=None)
    number = number_of(tag, source, typed.space) if source is not None else typed.space
    check_looks(typed, list(have.values_list("typed", flat=True)), number)
    if source is not None:
        _check_kind(source, SourceKind(source.kind).is_typed_value)
    if source is not None and source.kind == SourceKind.PINS:
        return _add_pins(actor, tag, track, typed, source)
    aid = aid_of(tag, source)
    entry = understood(tag, track, typed) if aid is None else understood_over(tag, track, typed, aid)
    source = source or calipers_of(tag, typed.track)
    _put_dirty_away(source, typed.space)
    said = {"value": entry.value, "typed": typed.text.strip()[:24], "key": typed.named}
    look = _see(actor, source, {typed.space: said})
    write_down(Event.MEASURED, actor, tag, **_said(source, look), space=typed.space)
    return entry


def _add_pins(actor: User, tag: Tag, track: Track, typed: Typed, source: Source) -> Understood:
    """What lay in a chamber: ``bottom``, ``bottom + wafer``, further wafers likewise, ``/ top`` if it was measured."""
    if source.plug is None:
        raise NotDone("Give the plug's figure first: what root height and pin length add up to.", "plug")
    stack, _, above = typed.text.partition("/")
    parts = stack.split("+")
    if len(parts) > len(track.depths):
        raise NotDone("Those are more wafers than there are depths. Type bottom + wafer + wafer.", "typed")
    lengths = [_value(part, typed.unit, tag.family.depth) for part in parts]
    top = _value(above, typed.unit, tag.family.depth).value if above.strip() else None
    for count in range(1, len(lengths) + 1):
        height = sum(entry.value for entry in lengths[:count])
        _check_depth(tag, track, depth_under_pin(height, source.plug), typed.text)
    values = [entry.value for entry in lengths]
    seen = {"value": values[0], "master": values[1] if len(values) > 1 else None, "wafers": values[2:], "top": top}
    look = _see(actor, source, {typed.space: {**seen, "typed": typed.text.strip()[:24], "key": typed.named}})
    write_down(Event.MEASURED, actor, tag, **_said(source, look), space=typed.space)
    return lengths[0]


def check_looks(typed: Typed, have: Sequence[str], number: int) -> None:
    """Raise SecondLook for a cut with more values than the page knew of: another tab, or one value too many.

    ``number`` is the cut's, as its page counts.
    """
    if typed.known is not None and len(have) > typed.known:
        says = f"Cut {number} has {' and '.join(have)} already: is {typed.text.strip()[:20]} a second look?"
        raise SecondLook(says, len(have))


def number_of(tag: Tag, source: Source, space: int) -> int:
    """A space's number as a source of it is counted."""
    is_turned = source.counted_from != tag.family.numbered_from
    return len(tag.family.track(source.track).spaces) + 1 - space if is_turned else space


def understood(tag: Tag, track: Track, typed: Typed) -> Understood:
    """A typed depth value as the family has it; NotDone where it is none, or cannot be a cut of this key."""
    near, depth = can_measure(tag.family, track), tag.family.depth
    entry = _value(typed.text, typed.unit, depth, near)
    if other := meant_in_other_unit(typed.text, typed.unit, depth, near):
        raise NotDone(f"{other}? Type the unit if so; your unit is {typed.unit}.", "typed", other)
    _check_depth(tag, track, entry.value, typed.text)
    return entry


def aid_of(tag: Tag, source: Source | Piece | None) -> tuple[Aid, float] | None:
    """What the cuts of a source, or of a made key, are measured over, with its size; None for plain calipers.

    Raises NotDone without the size.
    """
    aid = next((each for each in tag.family.kind.aids if source is not None and each.id == source.aid), None)
    if source is None or aid is None:
        return None
    if source.aid_size is None:
        raise NotDone(f"{aid.asks} first, to measure {aid.words}.", "aid_size")
    return aid, source.aid_size


def understood_over(tag: Tag, track: Track, typed: Typed, over: tuple[Aid, float]) -> Understood:
    """A reading over a pin or a ball as the depth value that it means, and the sum in words; NotDone likewise."""
    (aid, size), family = over, tag.family
    ends = sorted(aid.reading(family, track, value, size) for value in can_measure(family, track))
    entry = _value(typed.text, typed.unit, family.depth, (ends[0], ends[1]))
    value = aid.value(family, track, entry.value, size)
    _check_depth(tag, track, value, typed.text)
    said = f"{say_value(family.depth, entry.value)} {aid.words}, {say_value(family.lengths, size)} across"
    return Understood(value, f"{said}: {say_value(family.depth, value)}")


def _value(text: str, shop: Unit, wanted: Coordinate, near: tuple[float, float] | None = None) -> Understood:
    try:
        return parse_value(text, shop, wanted, near)
    except NotALength as error:
        raise NotDone(str(error), "typed") from None


def _check_depth(tag: Tag, track: Track, value: float, text: str) -> None:
    depth = tag.family.depth
    low, high = can_measure(tag.family, track)
    if not low <= value <= high:
        raise NotDone(
            f"“{text.strip()[:20]}” was read as {say_value(depth, value)}, which no cut of this key can be. "
            f"Its depths run from {figure(depth, track.values[0])} to {say_value(depth, track.values[-1])}.",
            "typed",
        )


def _check_kind(source: Source, fits: bool) -> None:
    if not fits:
        raise NotDone(f"{source} is not read like that.")


def _check_space(track: Track, space: int) -> None:
    if not 1 <= space <= len(track.spaces):
        raise NotDone(f"There is no cut {space}, only 1 to {len(track.spaces)}.", "space")


@action
def state_labels(actor: User, tag: Tag, source: Source, stated: Mapping[int, Sequence[str]]) -> None:
    """What a machine, a part or a tool's grid says of some spaces; an empty list takes a space back.

    Raises NotDone for a space or label that the family does not have.
    """
    check_read(tag)
    _check_kind(source, SourceKind(source.kind).is_stated)
    track = tag.family.track(source.track)
    for space, labels in stated.items():
        _check_space(track, space)
        for label in labels:
            _check_label(track, label)
    look = _see(actor, source, {space: {"labels": list(labels)} for space, labels in stated.items()})
    write_down(Event.LOOKED, actor, tag, **_said(source, look), cuts=len(stated))


def _check_label(track: Track, label: str) -> None:
    if label not in track.labels:
        raise NotDone(f"There is no depth {label[:3]}; this family has {' '.join(track.labels)}.", "labels")


@action
def look_with_depth_key(actor: User, tag: Tag, source: Source, depth: str, seen: Mapping[int, str]) -> None:
    """One depth key, fully in: how every tumbler sits. A second look with the same key replaces the first."""
    check_read(tag)
    _check_kind(source, source.kind == SourceKind.DEPTH_KEYS)
    track = tag.family.track(source.track)
    _check_label(track, depth)
    for space in seen:
        _check_space(track, space)
    everywhere = {space: seen.get(space, TumblerSeen.PROUD) for space in range(1, len(track.spaces) + 1)}
    Sighting.objects.filter(source=source, depth=depth, withdrawn=False).update(withdrawn=True)
    look = _see(actor, source, {space: {"depth": depth, "seen": how} for space, how in everywhere.items()})
    write_down(Event.LOOKED, actor, tag, **_said(source, look), depth_key=depth)


@action
def spoil_round(actor: User, tag: Tag, source: Source, depth: str) -> None:
    """The depth key was not fully in: that round alone is taken back, to be done again."""
    check_read(tag)
    spoiled = Sighting.objects.filter(source=source, depth=depth, withdrawn=False)
    if not spoiled.update(withdrawn=True):
        raise NotDone(f"Depth key {depth[:3]} has not been looked at.")
    write_down(Event.READING_WITHDRAWN, actor, tag, **_said(source), depth_key=depth)


@action
def note_swing(actor: User, tag: Tag, source: Source, space: int, felt: str) -> None:
    """How a disc moved at the click it stands at: a little (a false gap), a lot (the true one), or not at all.

    A disc's label is the place of the click at which it moved a lot, one more than the clicks it took; one that never
    moves is the last depth and doubles as the tension. Raises NotDone for a disc that was found already, that never
    varies, or all of whose depths were tried.
    """
    check_read(tag)
    _check_kind(source, source.kind == SourceKind.SWINGS)
    track = tag.family.track(source.track)
    _check_space(track, space)
    if space in dict(track.fixed):
        raise NotDone(f"Disc {space} never varies in this family.")
    seen = source.sightings.filter(space=space, withdrawn=False)
    if seen.filter(seen=TumblerSeen.FLUSH).exists():
        raise NotDone(f"Disc {space} is found already: take that back first.")
    clicks = seen.filter(seen=TumblerSeen.PROUD).count()
    if felt == Swing.STILL:
        label, how = track.labels[-1], TumblerSeen.FLUSH
    elif felt not in list(Swing):
        raise NotDone("Say how the disc moved: a little, a lot, or not at all.")
    elif clicks >= len(track.labels):
        raise NotDone(f"Every depth of disc {space} was tried: take some back, and feel again.")
    else:
        label, how = track.labels[clicks], TumblerSeen.FLUSH if felt == Swing.MAJOR else TumblerSeen.PROUD
    look = _see(actor, source, {space: {"depth": label, "seen": how}})
    write_down(Event.LOOKED, actor, tag, **_said(source, look), space=space)


@action
def mark_cut(actor: User, tag: Tag, source: Source, space: int, mark: str) -> None:
    """What is the matter with one cut: it counts less from then on, or is sound after all."""
    check_read(tag)
    _check_kind(source, SourceKind(source.kind).takes_marks)
    _check_space(tag.family.track(source.track), space)
    if mark not in CutMark.values:
        raise NotDone("Say whether the cut is nicked, dirty, burred, read on a ramp, or sound after all.")
    look = _see(actor, source, {space: {"mark": mark}})
    write_down(Event.LOOKED, actor, tag, **_said(source, look), space=space)


def _put_dirty_away(source: Source, space: int) -> None:
    """A cut that was dirty is cleaned before it is measured again: what was read through the dirt is put away."""
    of_cut = source.sightings.filter(space=space, withdrawn=False)
    marked = of_cut.exclude(mark="").last()
    was_read = of_cut.exclude(value=None).exists()  # else what comes now is what is read through the dirt
    if was_read and marked is not None and marked.mark == CutMark.DIRTY:
        of_cut.update(withdrawn=True)


@action
def compare_cuts(actor: User, tag: Tag, source: Source, pair: tuple[int, int], compared: str) -> None:
    """Two cuts held against each other by eye; the same two again replace the look before."""
    check_read(tag)
    _check_kind(source, source.kind == SourceKind.COMPARED)
    track, (space, beside) = tag.family.track(source.track), pair
    _check_space(track, space)
    _check_space(track, beside)
    if space == beside:
        raise NotDone("Choose two different cuts.")
    if compared not in Beside.values:
        raise NotDone("Say whether it is deeper, level or shallower.")
    look = _see(actor, source, {space: {"beside": beside, "compared": compared}})
    write_down(Event.LOOKED, actor, tag, **_said(source, look), space=space)


@action
def see_stage(actor: User, tag: Tag, source: Source, cut: tuple[int, str], seen: str) -> None:
    """A space of the blank was cut to a depth: how its tumbler sits now. Never shallower than it is."""
    check_read(tag)
    _check_kind(source, source.kind == SourceKind.STAGES)
    track, (space, depth) = tag.family.track(source.track), cut
    _check_space(track, space)
    _check_label(track, depth)
    if seen not in TumblerSeen.values:
        raise NotDone("Say whether it sits flush, still marks, or cannot be told.")
    now = [track.step(s.depth) for s in source.sightings.filter(space=space, withdrawn=False)]
    if now and track.step(depth) < max(now):
        raise NotDone(f"Cut {space} is at {track.labels[max(now)]} already; a blank is only ever cut deeper.")
    look = _see(actor, source, {space: {"depth": depth, "seen": seen}})
    write_down(Event.LOOKED, actor, tag, **_said(source, look), space=space)


@action
def withdraw(
    actor: User, tag: Tag, source: Source | None, sighting: int | None = None, *, last: int | None = None
) -> Sighting:
    """Take the last look of a source back, or the one named; it stays in the record, withdrawn.

    ``last`` is the last look that the page showed. Raises NotDone where that is another by now, or there is none.
    """
    check_read(tag)
    kept = Sighting.objects.filter(source=source, withdrawn=False)
    if last:
        refuse_another_last(kept, last)
    found = kept.filter(pk=sighting).first() if sighting else kept.last()
    if source is None or found is None:
        raise NotDone("There is nothing to take back.")
    together = kept.filter(look=found.look) if not sighting else kept.filter(pk=found.pk)
    together.update(withdrawn=True)
    write_down(Event.READING_WITHDRAWN, actor, tag, **_said(source, found.look), space=found.space)
    return found


@action
def state_turned(actor: User, tag: Tag, source: Source, text: str) -> None:
    """What a dial showed before and after the lock was turned, a pair for each cut in the family's order.

    One row of pairs feeds every track that shares it, each by its own table. Raises NotDone for a pair that a table
    does not have, and for another number of them.
    """
    kind, track = tag.family.kind, tag.family.track(source.track)
    said = text.replace("→", ">").split()
    if len(said) != len(track.spaces):
        raise NotDone(f"{len(said)} pairs for {len(track.spaces)} cuts; a dash where nothing was seen.", "labels")
    row = kind.row_of_pairs(track)
    fed = [each for each in tag.family.tracks if each is track or (row and kind.row_of_pairs(each) == row)]
    for each in fed:
        table = kind.pairs(each)
        unknown = [pair for pair in said if pair != "-" and pair not in table]
        if unknown:
            known = ", ".join(table)
            raise NotDone(f"{unknown[0][:12]} is none of track {each.name}’s pairs, which are {known}.", "labels")
        its = source if each is track else _turned_source(actor, tag, each.name, source)
        stated = {space: [] if pair == "-" else [table[pair]] for space, pair in enumerate(said, start=1)}
        state_labels(actor, tag, its, stated)


def _turned_source(actor: User, tag: Tag, track: str, source: Source) -> Source:
    """The source of another track that the same row of pairs feeds, begun if there is none."""
    of_it = tag.sources.filter(track=track, kind=SourceKind.TURNED, name=source.name, removed=False).first()
    return of_it or add_source(actor, tag, track, SourceKind.TURNED, source.name)


def labels_typed(track: Track, text: str) -> list[str | None]:
    """A bitting as a machine prints it: ``3 5 - 4 1``, ``35-41``; a dash or a point where it says nothing.

    Raises NotDone when it is not one label for each cut.
    """
    wanted = len(track.spaces)
    split = text.replace(",", " ").replace(";", " ").split()
    if len(split) == 1 and wanted > 1 and all(len(label) == 1 for label in track.labels):
        split = list(split[0])
    if len(split) != wanted:
        raise NotDone(f"{len(split)} labels for {wanted} cuts. Put a dash where it says nothing.", "labels")
    found = [None if label in {"-", "–", ".", "?", "_"} else label.upper() for label in split]
    known = {label.upper(): label for label in track.labels}
    try:
        return [None if label is None else known[label] for label in found]
    except KeyError as error:
        raise NotDone(
            f"There is no depth {str(error.args[0])[:3]}; this family has {' '.join(track.labels)}.", "labels"
        ) from None


def labels_of_try_out(track: Track, text: str) -> list[list[str]]:
    """The key of a try-out set that turned a lock: ``2½ 3 1 2``; a cut between two depths stands for both.

    Raises NotDone when it is not one for each cut, or nothing lies beyond the last depth.
    """
    marked = text.replace("1/2", HALF).replace(".5", HALF)
    if len(marked.split()) == 1:
        marked = " ".join(re.findall(rf".{HALF}?", marked.strip()))
    words = marked.replace(f" {HALF}", HALF).split()
    labels = labels_typed(track, " ".join(word.removesuffix(HALF) or "?" for word in words))
    halves = [word.endswith(HALF) for word in words]
    found: list[list[str]] = []
    for label, is_half in zip(labels, halves, strict=True):
        if label is None:
            found.append([])
            continue
        step = track.step(label)
        if is_half and step + 1 >= len(track.depths):
            raise NotDone(f"There is no depth beyond {label}.", "labels")
        found.append([label, track.labels[step + 1]] if is_half else [label])
    return found


def _see(actor: User, source: Source, seen: Mapping[int, Mapping[str, object]]) -> int:
    """Write down what one look showed, space by space; returns the number of the look."""
    latest = source.sightings.aggregate(latest=Max("look"))["latest"] or 0
    Sighting.objects.bulk_create(
        Sighting(source=source, look=latest + 1, space=space, by=actor, **what) for space, what in sorted(seen.items())
    )
    return latest + 1


def _said(source: Source, look: int | None = None) -> dict[str, str | int]:
    """A source, and one look of it, as the log names them: by record, never by what was seen."""
    named: dict[str, str | int] = {"track": source.track, "source": source.pk}
    return named if look is None else {**named, "look": look}
