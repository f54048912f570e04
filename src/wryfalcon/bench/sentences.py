"""What a reading means, in a smith's words."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from django.utils import timezone

from keycore.cutting.commands import MachineOffsets
from keycore.cutting.plan import Plan, Problem
from keycore.reading.decode import Posterior
from keycore.reading.influence import Influence
from keycore.reading.next_look import With
from keycore.rules import Break
from keycore.units import Unit
from wryfalcon.bench.models import SetUp, SourceKind, Tag
from wryfalcon.bench.reading.evidence import SourceReading
from wryfalcon.bench.reading.queries import TrackReading
from wryfalcon.bench.setting_up.planning import Card
from wryfalcon.bench.setting_up.queries import Holding, Moved
from wryfalcon.bench.trying.queries import SheetLeft
from wryfalcon.drawings.strip import chance_words
from wryfalcon.lengths import say_figure, say_mm, say_tool, show_small
from wryfalcon.machines.models import Machine
from wryfalcon.numbers import times_words

LIKELY_ENOUGH = 0.9  # no advice is given past this where no look is worth its trouble
WORN_FROM = 1.0  # standard deviations away from nothing before wear is spoken of


def sentence_of(reading: TrackReading, shown: Unit) -> str:
    """One or two sentences: the wear, what rounding would have said, and what to do."""
    posterior = reading.posterior
    if posterior is None:
        return reading.problem or "Nothing is read yet."
    parts = [_wear(reading, shown), _against_nearest(reading), _what_to_do(reading), _beyond(reading), reading.problem]
    said = " ".join(part for part in parts if part)
    return said or f"By {str(reading.record)[:1].lower()}{str(reading.record)[1:]}."


def _wear(reading: TrackReading, shown: Unit) -> str:
    offset = reading.offset
    if offset is None:
        return ""
    amount = show_small(reading.family.depth, reading.wear_found, shown)
    if abs(offset.mean) < WORN_FROM * offset.sd:
        return "No wear to speak of."
    return f"Worn by about {amount}." if reading.wear_found > 0 else f"It reads about {amount} shallow all over."


def _against_nearest(reading: TrackReading) -> str:
    posterior = reading.posterior
    if posterior is None or posterior.nearest is None:
        return ""
    labels, steps = reading.track.labels, posterior.best
    differ = [
        place
        for place, (plain, step) in enumerate(zip(posterior.nearest, steps, strict=True))
        if plain is not None and plain != step
    ]
    if not differ:
        read = zip(posterior.nearest, steps, strict=True)
        return f"A plain reading agrees: {_together('–' if plain is None else labels[step] for plain, step in read)}."
    if len(differ) > 1:
        named = _together("–" if s is None else labels[s] for s in posterior.nearest)
        return (
            f"Read plainly it would be {named}; with the wear allowed for it is {_together(labels[s] for s in steps)}."
        )
    place = differ[0]
    plain = posterior.nearest[place]
    assert plain is not None
    chance = chance_words(float(posterior.marginals[place][steps[place]]))
    number = reading.shown_space(place + 1)
    settled = labels[steps[place]]
    return f"Read plainly, cut {number} is a {labels[plain]}; with the wear allowed for it is a {settled}, {chance}."


def _what_to_do(reading: TrackReading) -> str:
    posterior = reading.posterior
    if posterior is None or posterior.measure_again is None or reading.filled:
        return ""
    unread = reading.unread
    if unread:
        return f"Cut {unread[0]} has not been read." if len(unread) == 1 else f"{len(unread)} cuts have not been read."
    if posterior.doubts_whole_key:
        return (
            "The doubt is the whole key a step up or down, which no single cut settles: "
            "say how worn it looks, try a depth key in the lock, or bring another source."
        )
    return _look_next(reading, posterior)


def _look_next(reading: TrackReading, posterior: Posterior) -> str:
    """The next look that is worth its trouble, said of the cut where it is."""
    dirty = reading.reads_shallow
    if dirty is not None:
        return f"Cut {dirty} reads shallow beside its fellows: clean it and measure again."
    advice = posterior.look_next
    if advice is None and posterior.bittings[0][1] >= LIKELY_ENOUGH:
        return ""
    if advice is None or advice.space is None:
        return "No cut measured again settles it: try the likeliest in the lock, or bring another source."
    cut = reading.shown_space(advice.space)
    match advice.using:
        case With.EYE:
            beside = reading.shown_space(advice.beside or advice.space)
            if not _has_key(reading):
                return f"Look at cut {cut} again, beside cut {beside}, to be sure."
            return f"Hold cut {cut} beside cut {beside} by eye: a caliper again tells less."
        case With.DEPTH_KEY:
            again = "A caliper" if _has_key(reading) else "The same look"
            return f"{again} again hardly settles cut {cut}: a depth key in the lock there does, or trying it."
    measures = reading.first is not None and SourceKind(reading.first.record.kind).is_typed_value
    return f"{'Measure' if measures else 'Look at'} cut {cut} again to be sure."


def _has_key(reading: TrackReading) -> bool:
    """Whether there is a key to lay a caliper on: a lock alone has none."""
    return any(SourceKind(each.record.kind).is_typed_value for each in reading.sources)


def _beyond(reading: TrackReading) -> str:
    beyond = reading.posterior.beyond_rules if reading.posterior else None
    if beyond is None:
        return ""
    labels = _together(reading.track.labels[step] for step in beyond.steps)
    if not beyond.breaks:
        return f"But {labels}, which is not on the list, explains it {times_words(beyond.times)} times better."
    return f"But {labels} explains it far better, though it breaks a rule ({break_words(beyond.breaks[0])})."


def _together(labels: Iterable[str]) -> str:
    """A bitting that does not break across lines."""
    return "\N{NO-BREAK SPACE}".join(labels)


def break_words(broken: Break) -> str:
    """A broken rule in a few words."""
    spaces = " and ".join(str(space) for space in broken.spaces[:2])
    if broken.rule == "macs":
        return f"too steep from cut {spaces.replace(' and ', ' to ')}"
    if broken.rule == "fixed":
        return f"cut {spaces} never varies in this family"
    return "too many cuts alike" if broken.rule == "most_alike" else "too few different depths"


def sheet_problem(left: SheetLeft) -> str:
    """Why no key is listed on a trial sheet, "" where one is."""
    if not left.is_read:
        return "Nothing is read yet."
    return f"{left.problem[0].upper()}{left.problem[1:]}: find out more before a blank is cut." if left.problem else ""


def influence_words(reading: TrackReading) -> list[tuple[SourceReading, str]]:
    """Every source, those that are left out too, and what it did to the answer; nothing where there is but one."""
    if len(reading.weighed) < 2 and len(reading.sources) < 2:
        return []
    did = dict(zip((source.record.pk for source in reading.weighed), reading.influences, strict=True))
    return [(source, _did(reading, source, did.get(source.record.pk))) for source in reading.sources]


def _did(reading: TrackReading, source: SourceReading, influence: Influence | None) -> str:
    if not source.record.is_on:
        return "left out"
    if not source.spaces_seen:
        return "nothing seen yet"
    if influence is None or reading.posterior is None:
        return "the only one that says anything" if len(reading.weighed) == 1 else "without it too much is open"
    chance = chance_words(influence.chance)
    if influence.without == reading.posterior.best:
        return f"without it the same, {chance}"
    return f"without it {' '.join(reading.labelled(influence.without))}, {chance}"


OTHER_TOOL = frozenset({"cutter", "mill", "drill"})
"""Problems of a plan that say that another tool than the family's is fitted."""


def said_problems(plan: Plan) -> list[Problem]:
    """What is wrong with a plan, another tool than the family's in the unit of whoever is looking."""
    return [
        replace(problem, says=_says_tool(plan, problem.track)) if problem.code in OTHER_TOOL else problem
        for problem in plan.problems
    ]


def _says_tool(plan: Plan, track: str) -> str:
    lengths, wanted = plan.family.lengths, plan.family.track(track).tool
    assert wanted is not None
    assert plan.tool is not None
    return f"The family wants {say_tool(lengths, wanted)}; this cutter leaves {say_tool(lengths, plan.tool)}."


TOO_DEEP = "The deepest cut goes below the top of the jaw: choose a shallower slot."


def problems_of(card: Card) -> tuple[Problem, ...]:
    """All that is wrong with a card: with its plan, and with the blank in its jaw."""
    problems = said_problems(card.plan)
    if card.goes_too_deep:
        problems.append(Problem("jaw", card.plan.tracks[0].track.name, (), TOO_DEEP))
    return tuple(problems)


LAPSED = {
    Moved.BITTING: "Another bitting was settled since this card was made.",
    Moved.CARD: "Another card was made since.",
    Moved.TABLE: "The family’s table was changed since this card was made.",
    Moved.NO_LINE: "{machine} is not driven from here any more.",
    Moved.CUTTER_SHAPE: "The shape written down for {cutter} was changed.",
    Moved.OTHER_WHEEL: "{machine} has {detail} fitted now, not {cutter}.",
    Moved.SWAPPED: "Wheels were changed on the machine since the card was checked.",
    Moved.NEW_WHEEL: (
        "A new cutter was put on {machine} since: how true it cuts is not known until a key of it is measured."
    ),
    Moved.JAW: "The jaw or clamp named on this card was changed in the machine’s book.",
    Moved.WORK: "Since then on {machine}: {detail}. The blank is clamped and checked anew.",
    Moved.PLAN: "It cannot be cut so any more: {detail}.",
    Moved.CUTS: "The cuts on this card are not those of its plan.",
    Moved.DEPTHS: "The depths put in for {machine} have changed by {by} since this card was made.",
    Moved.PLACES: "The places put in for {machine} have moved by {by} since this card was made.",
    Moved.SINCE_PLANNED: "Since this was planned: {detail}.",
}
"""What a card no longer rests on, in words."""


def lapse_words(holding: Holding) -> list[str]:
    """Everything of a card that no longer holds, a sentence each."""
    card = holding.card
    return [
        LAPSED[lapse.moved].format(
            machine=card.machine, cutter=card.cutter, detail=lapse.detail, by=say_mm(lapse.by, signed=True)
        )
        for lapse in holding.lapses
    ]


def practice_words(machine: Machine) -> str:
    """That a practice has put a machine out of true."""
    return f"{machine} is out of true on purpose: a practice is on. End it before a key is cut on it."


def why_not_cut(holding: Holding, then: str = "") -> str:
    """Why nothing is cut by a card as it is, and what to do about it."""
    if holding.is_practised:
        return practice_words(holding.card.machine)
    then = then or ("Make the card anew" if holding.to_remake else "Go through its checks again")
    return f"{' '.join(lapse_words(holding))} {then}."


def plan_head(tag: Tag, card: SetUp, offsets: MachineOffsets, key: str = "") -> list[str]:
    """What stands at the head of a cut plan: whose it is, by which table, how it is held, what was put in, and when."""
    family, machine = tag.family, card.machine
    edition = f", edition {family.edition}" if family.edition else ""
    stop = f", stop {family.setup['stop']}" if family.setup.get("stop") else ""
    put_in = f"{say_figure(family.space, offsets.space)} in place, "
    put_in += f"{say_figure(family.depth, offsets.value)} in depth"
    return [
        f"tag {tag}{f', {key}' if key else ''}",
        f"family {family.name}{edition}",
        f"blank {tag.blank.code if tag.blank else family.blank.code if family.blank else 'not known'}",
        f"gauge {family.gauge}{stop}, held in {card.jaw_side or 'the jaw'} of {machine}",
        f"cutter {card.cutter}, {card.style}",
        f"offsets put in: {put_in}",
        f"made {timezone.localtime(card.at):%Y-%m-%d %H:%M}",
    ]
