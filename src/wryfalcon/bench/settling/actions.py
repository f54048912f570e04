"""Deciding what the key is and what is cut, and reading the bitting back against its source."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field

from django.utils import timezone

from keycore.cutting.intent import values_to_cut
from keycore.errors import InputError
from keycore.family import Family
from keycore.reading.decode import BeyondRules
from keycore.reading.filling import fill_shallowest
from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.bench.models import Intent, Overruling, Settlement, Tag
from wryfalcon.bench.tags.actions import check_read
from wryfalcon.codes.models import Code
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event
from wryfalcon.numbers import times_words
from wryfalcon.refusal import NotDone

SAME_MM = 0.0005
FILLED = "nothing was seen of it: the shallowest allowed"


@dataclass(frozen=True)
class DeeperCut:
    """A single cut taken some steps deeper, and why."""

    track: str
    space: int
    steps: int
    reason: str


@dataclass(frozen=True)
class Choice:
    """What the key is, by track, and what is to be cut from it."""

    bitting: Mapping[str, Sequence[str]]
    chance: float | None = None
    intent: str = Intent.RESTORE
    as_measured: Mapping[str, Sequence[float | None]] = field(default_factory=dict)
    deeper_by: float = 0.0  # compensate: family unit
    deeper_cuts: Sequence[DeeperCut] = ()
    reason: str = ""


@action
def overrule(
    actor: User,
    tag: Tag,
    cut: tuple[str, int],
    label: str,
    reason: str,
    *,
    filled: bool = False,
    code: Code | None = None,
) -> None:
    """Decide one cut otherwise than the reading says, or fill one that nothing was seen of.

    Raises NotDone without a reason.
    """
    check_read(tag)
    track_name, space = cut
    track = tag.family.track(track_name)
    if not 1 <= space <= len(track.spaces):
        raise NotDone(f"There is no cut {space}.", "space")
    if label not in track.labels:
        raise NotDone(f"There is no depth {label[:3]}; this family has {' '.join(track.labels)}.", "label")
    if not reason.strip():
        raise NotDone("Say what you saw: the reason stays with the key.", "reason")
    kept = {"label": label, "reason": reason.strip()[:200], "filled": filled}
    Overruling.objects.filter(tag=tag, track=track_name, space=space, withdrawn=False).update(withdrawn=True)
    made = Overruling.objects.create(tag=tag, track=track_name, space=space, by=actor, code=code, **kept)
    write_down(Event.OVERRULED, actor, tag, track=track_name, space=space, overruling=made.pk)


@action
def fill_unread(actor: User, tag: Tag, track: str, known: Mapping[int, int]) -> None:
    """Fill the cuts that nothing was seen of with the shallowest allowed: they can still be cut deeper.

    ``known`` steps by space. Raises NotDone when the known cuts break MACS among themselves.
    """
    check_read(tag)
    family_track = tag.family.track(track)
    try:
        steps = fill_shallowest(family_track, known)
    except InputError as error:
        raise NotDone(f"They cannot be filled: {error.reason}.") from None
    for space, step in enumerate(steps, start=1):
        if space not in known:
            overrule(actor, tag, (track, space), family_track.labels[step], FILLED, filled=True)


@action
def take_code(actor: User, tag: Tag, reading_steps: Sequence[int], known: Collection[int], code: Code) -> None:
    """Take the cuts that were not seen, or that differ, from a code of the family's series; the code is the reason."""
    check_read(tag)
    track = tag.family.track(code.series.track)
    for space, label in enumerate(code.bitting.split(), start=1):
        if space not in known or track.labels[reading_steps[space - 1]] != label:
            overrule(actor, tag, (track.name, space), label, f"code {code} of {code.series}", code=code)


@action
def take_beyond_rules(actor: User, tag: Tag, track: str, found: BeyondRules, settled: Sequence[int]) -> None:
    """Take the bitting that breaks a rule and fits far better, cut by cut, with that as the reason."""
    labels = tag.family.track(track).labels
    broken = ", ".join(sorted({each.rule.replace("_", " ") for each in found.breaks}))
    why, times = f"breaks {broken}" if broken else "is not on the list", times_words(found.times)
    for space, (step, own) in enumerate(zip(found.steps, settled, strict=True), start=1):
        if step != own:
            overrule(actor, tag, (track, space), labels[step], f"{why}, but fits {times} times better")


@action
def withdraw_overruling(actor: User, tag: Tag, cut: tuple[str, int]) -> None:
    """Go back to what the reading says for one cut."""
    check_read(tag)
    track, space = cut
    found = Overruling.objects.filter(tag=tag, track=track, space=space, withdrawn=False)
    if not found.update(withdrawn=True):
        raise NotDone(f"Cut {space} is not overruled.")
    write_down(Event.OVERRULE_WITHDRAWN, actor, tag, track=track, space=space)


@action
def settle(actor: User, tag: Tag, choice: Choice) -> Settlement:
    """Write down what the key is and the values to cut. Raises NotDone naming the field."""
    check_read(tag)
    family = tag.family
    missing = [track.name for track in family.tracks if track.name not in choice.bitting]
    if missing:
        raise NotDone(f"Track {missing[0]} has not been read yet.")
    for deeper in choice.deeper_cuts:
        if not deeper.reason.strip():
            raise NotDone(f"Say why cut {deeper.space} goes deeper; the reason stays with the key.", "deeper_reason")
    settlement = Settlement.objects.create(
        tag=tag,
        bitting={name: list(labels) for name, labels in choice.bitting.items()},
        chance=choice.chance,
        intent=choice.intent,
        deeper_by=choice.deeper_by if choice.intent == Intent.COMPENSATE else 0.0,
        deeper_cuts=[vars_of(deeper) for deeper in choice.deeper_cuts],
        values=values_of(family, choice),
        reason=choice.reason.strip()[:200],
        edition=family.edition,
        by=actor,
    )
    _keys_cut_to_it(tag, settlement)
    write_down(Event.SETTLED, actor, tag, settlement=settlement.pk, intent=settlement.intent)
    return settlement


def _keys_cut_to_it(tag: Tag, settlement: Settlement) -> None:
    """Keys that were made before the bitting was settled, and are cut to just that, are keys of it."""
    family = tag.family
    for piece in tag.pieces.filter(settlement=None).exclude(values=None):
        values = piece.values or {}
        wanted = {
            (track, space): value for track, each in settlement.values.items() for space, value in enumerate(each)
        }
        cut = {(track, space): value for track, each in values.items() for space, value in enumerate(each)}
        same = family.depth.from_machine(SAME_MM)
        if cut.keys() == wanted.keys() and all(abs(cut[at] - wanted[at]) < same for at in cut):
            piece.settlement = settlement
            piece.save(update_fields=["settlement"])


def values_of(family: Family, choice: Choice) -> dict[str, list[float]]:
    """The depth values a choice cuts, by track; NotDone for a step that the table does not have."""
    values = {}
    for name, labels in choice.bitting.items():
        track = family.track(name)
        try:
            values[name] = list(
                values_to_cut(
                    family,
                    track,
                    track.steps(labels),
                    as_measured=choice.as_measured.get(name) if choice.intent == Intent.COPY else None,
                    deeper_by=choice.deeper_by if choice.intent == Intent.COMPENSATE else 0.0,
                    deeper_steps={cut.space: cut.steps for cut in choice.deeper_cuts if cut.track == name},
                )
            )
        except InputError as error:
            raise NotDone(f"{error.reason[0].upper()}{error.reason[1:]}.", "deeper_cuts") from None
    return values


def vars_of(deeper: DeeperCut) -> dict[str, object]:
    """A deeper cut as it is kept."""
    return {"track": deeper.track, "space": deeper.space, "steps": deeper.steps, "reason": deeper.reason.strip()[:200]}


@action
def read_back(actor: User, tag: Tag) -> Settlement:
    """Confirm that the bitting was read back aloud against its source."""
    check_read(tag)
    settlement = tag.settlement
    if settlement is None:
        raise NotDone("There is no settled bitting to read back yet.")
    if settlement.read_back_at is not None:
        return settlement
    settlement.read_back_at = timezone.now()
    settlement.save()
    write_down(Event.READ_BACK, actor, tag, settlement=settlement.pk)
    return settlement
