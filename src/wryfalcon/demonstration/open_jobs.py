"""What hangs on the bench this morning: a job at every stage."""

from __future__ import annotations

from datetime import timedelta
from random import Random

from django.utils import timezone

from wryfalcon.accounts.models import User
from wryfalcon.bench.cutting.actions import plan_piece
from wryfalcon.bench.models import OnBench, Piece, PieceState, Tag
from wryfalcon.bench.settling.actions import Choice, settle
from wryfalcon.bench.tags.actions import Baseline, TagDetails, take_in
from wryfalcon.demonstration.making import (
    again,
    bitting_of,
    card_for,
    family_record,
    finished_key,
    measured,
    proven,
    settle_as,
    type_values,
)  # fmt: skip
from wryfalcon.library.models import Blank
from wryfalcon.machines.models import Machine

STAGE_DOOR = [0.2779, 0.2353, 0.2947, 0.2577, 0.3189]
"""A worn key of bitting 3 5 2 4 1, about 8 thou low all over; its third cut is the doubtful one."""


def hang_open_tags(people: dict[str, User]) -> None:
    """Take in the open jobs and bring each as far as it is."""
    random = Random(417)
    gannet = Machine.objects.get(name="Old Gannet")
    _failed_proof(people, gannet, random)
    _interrupted_keys(people, gannet, random)
    _brought_back(people)
    _ready_to_cut(people, gannet)
    _to_read_back(people)
    _half_settled(people)
    take_in(
        people["wren"],
        TagDetails(
            title="Plot 9 gate, two more",
            customer="Dunmere Allotments",
            on_bench=OnBench.WORN_KEY,
            family=family_record("allotment-four"),
            authority="society card seen",
            quantity=2,
            locks=[Baseline("Plot 9 gate", "rubs", "rubs", "free")],
        ),
    )


def _half_settled(people: dict[str, User]) -> None:
    tag = take_in(
        people["wren"],
        TagDetails(
            title="Stage door, one more of a worn key",
            customer="Saltmarsh Players",
            on_bench=OnBench.WORN_KEY,
            family=family_record("harbour-five"),
            authority="stage manager, known",
            locks=[Baseline("Stage door", "free", "snags", "free"), Baseline("Cash box", "free", "free", "free")],
        ),
    )
    type_values(people["tam"], tag, "A", STAGE_DOOR)


def _to_read_back(people: dict[str, User]) -> None:
    tag = take_in(
        people["wren"],
        TagDetails(
            title="Props store, a good key",
            customer="Saltmarsh Players",
            on_bench=OnBench.GOOD_KEY,
            family=family_record("theatre-six"),
            authority="stage manager, known",
        ),
    )
    steps = [2, 5, 3, 1, 4, 6]
    values = tag.family.tracks[0].values
    noise = [0.0004, -0.0008, 0.0002, -0.0005, 0.0006, -0.0003]
    type_values(people["tam"], tag, "A", [values[s] + n - 0.001 for s, n in zip(steps, noise, strict=True)])
    settle(people["tam"], tag, Choice({"A": [tag.family.tracks[0].labels[s] for s in steps]}, 0.97))


def _ready_to_cut(people: dict[str, User], machine: Machine) -> None:
    tag = take_in(
        people["wren"],
        TagDetails(
            title="Engine cover, wafer lock",
            customer="Captain Ruan",
            on_bench=OnBench.WORN_KEY,
            family=family_record("lighthouse-eight"),
            authority="owner's papers seen",
            locks=[Baseline("Engine cover", "free", "snags", "free")],
        ),
    )
    settle_as(people["tam"], tag, {"A": ["2", "3", "1", "2", "4", "3", "2", "1"]}, 0.97)
    card_for(people["tam"], tag, machine)


def _brought_back(people: dict[str, User]) -> None:
    maker = Tag.objects.filter(family_record__slug="boathouse-four").order_by("number").last()
    assert maker is not None
    tag = take_in(
        people["wren"],
        TagDetails(
            title="Snags since last week",
            customer=maker.customer.name,
            on_bench=OnBench.RETURNED_KEY,
            family=family_record("boathouse-four"),
            authority="our own label",
            brought_back=str(maker),
            locks=[Baseline("Wheelhouse", "rubs", "snags", "free")],
        ),
    )
    made = tag.made_by.settlement.values if tag.made_by and tag.made_by.settlement else {}
    for track, values in made.items():
        type_values(people["tam"], tag, track, [value - 0.07 + 0.008 * (-1) ** n for n, value in enumerate(values)])


def _interrupted_keys(people: dict[str, User], machine: Machine, random: Random) -> None:
    """Six keys wanted, three proven, the fourth stopped half-way when the machine was switched off."""
    tag = take_in(
        people["wren"],
        TagDetails(
            title="Tide gauge hut, six for the wardens",
            customer="Harbour Office",
            on_bench=OnBench.GOOD_KEY,
            family=family_record("net-loft-seven"),
            authority="letter with seal, 3 November",
            quantity=6,
            locks=[Baseline("Tide gauge hut", "free", "free", "free")],
        ),
    )
    settle_as(people["tam"], tag, {"A": ["3", "5", "2", "4", "4", "6", "3"]}, 0.99)
    card_for(people["tam"], tag, machine)
    for key in (1, 2, 3):
        piece = finished_key(tag, timezone.now() - timedelta(hours=4 - key), key)
        measured(people["tam"], tag, piece, random, off_mm=0.004, repeats=4)
        proven(people["tam"], tag, piece, passed=True, reason="turns freely")
    again(tag)
    assert tag.set_up is not None
    piece = plan_piece(tag.set_up, 4)
    began = timezone.now() - timedelta(minutes=50)
    lost = {"state": PieceState.LOST, "done": 3, "blank_taken": True, "blank": tag.blank, "began_at": began}
    Piece.objects.filter(pk=piece.pk).update(**lost)
    Blank.objects.filter(tags=tag).update(left=23)


def _failed_proof(people: dict[str, User], machine: Machine, random: Random) -> None:
    """All cuts deep alike: the blank was not bottomed in the jaw."""
    record = family_record("beach-hut-five")
    tag = take_in(
        people["wren"],
        TagDetails(
            title="Beach hut 14, winter key",
            customer="Mrs Teague",
            on_bench=OnBench.WORN_KEY,
            family=record,
            authority="council tenancy seen",
            locks=[Baseline("Hut 14", "free", "free", "free")],
        ),
    )
    settle_as(people["tam"], tag, bitting_of(record.family, random), 0.98)
    card_for(people["tam"], tag, machine)
    piece = finished_key(tag, timezone.now() - timedelta(hours=1))
    measured(people["tam"], tag, piece, random, off_mm=-0.11, repeats=3)
    proven(people["tam"], tag, piece, passed=False)
