"""How each way of looking is shown on Read: its panel, what is gone through, and what its marks on the strip mean."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from keycore.reading.decode import Posterior
from keycore.reading.influence import Influence
from keycore.reading.next_look import With
from keycore.rules import Break
from keycore.units import Unit
from wryfalcon.bench.models import SourceKind
from wryfalcon.bench.reading.evidence import SourceReading
from wryfalcon.bench.reading.queries import TrackReading
from wryfalcon.drawings.strip import chance_words
from wryfalcon.lengths import show_small
from wryfalcon.numbers import times_words

MEASURED = ("Hollow mark: as measured, whiskers: where it lies 19 times in 20", "Solid mark: wear allowed for")
LOOKED = ("Bar: flush", "Cross: not flush", "Arrow: deeper than this")
STATED = ("Diamond: stated",)


@dataclass(frozen=True, kw_only=True)
class Way:
    """One row: what a template needs to know of a way of looking."""

    panel: str
    legend: tuple[str, ...] = ()  # of its own marks on the strip
    each: str = "cut"  # what is gone through one after another
    one_by_one: bool = False  # an entry takes one value; others take several at once
    is_of_key: bool = True  # what is typed is what the key has; else the key is worked out beside it
    may_be_odd_first: bool = False  # its tool may be read odd cuts first
    asks: str = ""  # above its labels
    helps: str = ""  # below them
    asks_who: bool = False  # somebody said so, and who is kept


LENGTHS = "bench/reading/_lengths.html"
LABELS = "bench/reading/_labels.html"
WAYS: Mapping[SourceKind, Way] = {
    SourceKind.CALIPERS: Way(panel=LENGTHS, legend=MEASURED),
    SourceKind.PROBE: Way(panel=LENGTHS, legend=MEASURED),
    SourceKind.PINS: Way(panel=LENGTHS, legend=MEASURED, each="pin", one_by_one=True, is_of_key=False),
    SourceKind.MACHINE: Way(
        panel=LABELS,
        legend=("Square: as the machine rounded it",),
        asks="What the machine says",
        helps="A machine rounds: of a worn key it says one deep everywhere, and that is allowed for.",
    ),
    SourceKind.PARTS: Way(
        panel=LABELS,
        legend=STATED,
        asks="What is stamped on them",
        helps="A stamped number or letter is the depth; check that the maker counts as this table does.",
    ),
    SourceKind.DEPTH_KEYS: Way(panel="bench/reading/_depth_keys.html", legend=LOOKED),
    SourceKind.GRID: Way(panel="bench/reading/_grid.html", legend=STATED, may_be_odd_first=True),
    SourceKind.STAGES: Way(panel="bench/reading/_stages.html", legend=LOOKED),
    SourceKind.COMPARED: Way(
        panel="bench/reading/_compared.html", legend=("Tie: two cuts compared, lower at the deeper one",)
    ),
    SourceKind.CODE: Way(panel="bench/reading/_code.html", legend=STATED),
    SourceKind.KNOWN: Way(
        panel=LABELS,
        legend=STATED,
        asks="The bitting as it stands",
        helps="Where nothing else is known of the key it is settled at once, and read back before anything is cut.",
        asks_who=True,
    ),
    SourceKind.TRY_OUT: Way(
        panel=LABELS,
        legend=STATED,
        asks="The key that turned it",
        helps="A cut between two depths as 2½. Such a key turns locks of either.",
    ),
    SourceKind.SWINGS: Way(
        panel="bench/reading/_swings.html", legend=("Bar: moved a lot", "Cross: a little only"), each="disc"
    ),
    SourceKind.TURNED: Way(
        panel=LABELS,
        legend=STATED,
        asks="Before and after turning, each cut as left>up",
        helps="Turn it back before you pull it out. One row may tell of several tracks; a pair that the family’s table "
        "lacks is named.",
    ),
    SourceKind.TRIED: Way(panel="bench/reading/_tried.html"),
}


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
