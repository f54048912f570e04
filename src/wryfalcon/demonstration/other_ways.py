"""Jobs on the bench that are read otherwise than with calipers alone."""

from __future__ import annotations

from wryfalcon.accounts.models import User
from wryfalcon.bench.models import OnBench, Outcome, Source, SourceKind, Tag, TumblerSeen
from wryfalcon.bench.reading.actions import Typed, add_value, look_with_depth_key, see_stage, state_labels
from wryfalcon.bench.reading.queries import readings_of
from wryfalcon.bench.reading.source_actions import SourceSettings, add_source, describe_source
from wryfalcon.bench.tags.actions import Baseline, TagDetails, take_in
from wryfalcon.bench.trying.actions import note_try
from wryfalcon.bench.trying.queries import entries_of, left_to_try, sheet_of
from wryfalcon.demonstration.making import family_record, settle_as, type_values

LIGHTHOUSE = ["2", "3", "1", "2", "4", "3"]
"""What the boot locker's wafers are, its lock having the first six spaces of eight."""
PIER = ["2", "4", "1", "3", "5", "3"]
METER = "352614"
LAMP = "132545124"
ALLOTMENT = ["2", "4", "3", "1"]


def hang_other_ways(people: dict[str, User]) -> None:
    """A lock seen through depth keys, a key read three ways, pins with a master, a blank cut down, one not known."""
    _half_a_lock(people)
    _three_ways(people)
    _pins(people)
    _cut_down(people)
    _not_known_yet(people)
    _to_copy(people)
    _round_its_end(people)
    _of_discs(people)


def _round_its_end(people: dict[str, User]) -> None:
    """A tubular key, its slots measured with the depth rod of a caliper; not settled yet."""
    tag = take_in(
        people["wren"],
        TagDetails(
            title="Mooring meters, one more",
            customer="Harbour Office",
            on_bench=OnBench.WORN_KEY,
            family=family_record("bollard-six"),
            in_hand=True,
            locks=[Baseline("Meter 4", "free", "rubs", "free")],
        ),
    )
    depths = tag.family.tracks[0].values
    off = (0.0012, 0.0018, 0.0009, 0.0015, 0.0021, 0.0011)
    values = [depths[int(label) - 1] + by for label, by in zip(METER, off, strict=True)]
    type_values(people["tam"], tag, "A", values)


def _of_discs(people: dict[str, User]) -> None:
    """A disc key whose bitting stands on a card: settled, to be set up."""
    tag = take_in(
        people["wren"],
        TagDetails(
            title="Lamp room, a second key",
            customer="Captain Ruan",
            on_bench=OnBench.CODE,
            family=family_record("lantern-nine"),
            authority="the lamp book, signed",
            locks=[Baseline("Lamp room")],
        ),
    )
    settle_as(people["tam"], tag, {"A": list(LAMP)})


def _to_copy(people: dict[str, User]) -> None:
    """A key that looks good and a copy of it, nothing read."""
    take_in(
        people["wren"],
        TagDetails(
            title="Ticket office, a copy",
            customer="At the counter",
            on_bench=OnBench.GOOD_KEY,
            family=family_record("harbour-five"),
            in_hand=True,
            is_copied=True,
            locks=[Baseline("Ticket office", "free", "free", "free")],
        ),
    )


def _not_known_yet(people: dict[str, User]) -> None:
    """A key that somebody brought and nobody has named."""
    take_in(
        people["wren"],
        TagDetails(
            title="Pier kiosks, one more",
            customer="Pier Master",
            on_bench=OnBench.GOOD_KEY,
            in_hand=True,
            locks=[Baseline("Kiosk 3")],
        ),
    )


def _half_a_lock(people: dict[str, User]) -> None:
    tag = take_in(
        people["wren"],
        TagDetails(
            title="Boot locker and engine cover, no key left",
            customer="Captain Ruan",
            on_bench=OnBench.PART_LOCK,
            family=family_record("lighthouse-eight"),
            authority="owner's papers seen",
            locks=[Baseline("Boot locker")],
        ),
    )
    source = add_source(people["tam"], tag, tag.family.tracks[0].name, SourceKind.DEPTH_KEYS, "boot locker")
    for depth in ("2", "3", "1"):
        seen = {space: TumblerSeen.FLUSH for space, label in enumerate(LIGHTHOUSE, start=1) if label == depth}
        unsure = dict.fromkeys((7, 8), TumblerSeen.UNSURE)  # the lock has no tumbler there
        look_with_depth_key(people["tam"], tag, source, depth, {**unsure, **seen})
    _try_two_keys(people["tam"], tag)


def _try_two_keys(tam: User, tag: Tag) -> None:
    """The engine cover's two cuts are tried out on blanks; two keys did not turn it."""
    reading = readings_of(tag)[0]
    for _ in range(2):
        sheet = sheet_of(tag, reading.track.name)
        left = left_to_try(reading, sheet, entries_of(sheet))
        if left.next is not None:
            note_try(tam, sheet, left, left.next.form_value, Outcome.NO_TURN)


def _three_ways(people: dict[str, User]) -> None:
    """The worn key, an old copy, and a machine's decode that was read off from the tip."""
    tag = take_in(
        people["wren"],
        TagDetails(
            title="Pier kiosk, worn key and an old copy",
            customer="Pier Master",
            on_bench=OnBench.WORN_KEY,
            family=family_record("pier-six"),
            authority="pier office card",
            locks=[Baseline("Kiosk shutter", "free", "snags", "free")],
        ),
    )
    track = tag.family.tracks[0]
    steps = track.steps(PIER)
    worn = [track.values[s] - w for s, w in zip(steps, (0.0066, 0.0072, 0.0081, 0.0079, 0.0094, 0.0098), strict=True)]
    copy = [track.values[s] - w for s, w in zip(steps, (0.0031, 0.0020, 0.0034, 0.0022, 0.0029, 0.0035), strict=True)]
    type_values(people["tam"], tag, track.name, worn)
    _type(people["tam"], tag, add_source(people["tam"], tag, track.name, SourceKind.CALIPERS, "old copy"), copy)
    machine = add_source(people["tam"], tag, track.name, SourceKind.MACHINE)
    said = [PIER[0], "5", "2", "4", "5", "4"]  # one deep where the wear carried it over
    state_labels(people["tam"], tag, machine, {s: [label] for s, label in enumerate(reversed(said), start=1)})


def _pins(people: dict[str, User]) -> None:
    tag = take_in(
        people["wren"],
        TagDetails(
            title="Wardrobe lock in pieces",
            customer="Saltmarsh Players",
            on_bench=OnBench.LOCK_PARTS,
            family=family_record("harbour-five"),
            authority="stage manager, known",
        ),
    )
    track = tag.family.tracks[0]
    source = add_source(people["tam"], tag, track.name, SourceKind.PINS, "wardrobe plug")
    describe_source(people["tam"], tag, source, SourceSettings(plug="0.500"))
    for space, (label, master) in enumerate(zip("24153", ("", "+0.020", "", "", "+0.020"), strict=True), start=1):
        length = 0.5 - track.values[track.step(label)]
        add_value(people["tam"], tag, Typed(track.name, space, f"{length:.3f}{master}", tag.family.unit), source)


def _cut_down(people: dict[str, User]) -> None:
    tag = take_in(
        people["wren"],
        TagDetails(
            title="Plot 31 shed, lock and no key",
            customer="Dunmere Allotments",
            on_bench=OnBench.LOCK,
            family=family_record("allotment-four"),
            authority="society card seen",
        ),
    )
    track = tag.family.tracks[0]
    source = add_source(people["tam"], tag, track.name, SourceKind.STAGES)
    for depth in track.labels[:2]:
        for space, label in enumerate(ALLOTMENT, start=1):
            if track.step(depth) <= track.step(label):
                seen = TumblerSeen.FLUSH if label == depth else TumblerSeen.PROUD
                see_stage(people["tam"], tag, source, (space, depth), seen)


def _type(actor: User, tag: Tag, source: Source, values: list[float]) -> None:
    for space, value in enumerate(values, start=1):
        add_value(actor, tag, Typed(source.track, space, f"{value:.4f}", tag.family.unit), source)
