"""Trial sheets: the keys still possible, tried one after another."""

from __future__ import annotations

from collections.abc import Sequence

from django.conf import settings
from django.db import models

from wryfalcon.bench.models.jobs import Tag
from wryfalcon.bench.models.pieces import Piece
from wryfalcon.bench.models.settling import Settlement
from wryfalcon.codes.models import Series


class TrialOrder(models.TextChoices):
    """In which order the keys still possible are tried."""

    CHEAPEST = "cheapest", "what costs least, time and blanks together"
    WITHIN = "within", "likeliest first, within the fewest blanks"
    BLANKS = "blanks", "one blank after another"
    LIKELIEST = "likeliest", "likeliest first, whatever it takes"


ALL_TRACKS = ""
"""The track of a sheet whose keys have all tracks of their family cut."""


class TrialSheet(models.Model):
    """The keys to try for one track of a lock, or for all of them together, and how they are tried."""

    tag = models.ForeignKey(Tag, models.CASCADE, related_name="trial_sheets")
    track = models.CharField(max_length=120, help_text="none is all tracks together")
    order = models.CharField(max_length=9, choices=TrialOrder, default=TrialOrder.CHEAPEST)
    half_steps = models.BooleanField(default=False)
    series = models.ForeignKey(Series, models.PROTECT, null=True, help_text="only its codes are tried")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["tag", "track"], name="one_trial_sheet_of_each_track")]

    @property
    def is_of_all_tracks(self) -> bool:
        """Whether its keys have every track cut, though the family has several."""
        return self.track == ALL_TRACKS

    def parts(self, places: Sequence[int]) -> dict[str, tuple[int, ...]]:
        """Places of a key of this sheet, track by track."""
        family, found, at = self.tag.family, {}, 0
        tracks = family.tracks if self.is_of_all_tracks else [family.track(self.track)]
        for track in tracks:
            found[track.name] = tuple(places[at : at + len(track.spaces)])
            at += len(track.spaces)
        return found

    @property
    def is_cheapest_first(self) -> bool:
        """Whether it is worked in whatever order costs least as things stand."""
        return self.order == TrialOrder.CHEAPEST


class Outcome(models.TextChoices):
    """What a try, or a closer look, showed."""

    NO_TURN = "no-turn", "goes in, does not turn"
    TURNS = "turns", "turns"
    SPOILED = "spoiled", "blank spoiled"
    SENT = "sent", "being cut"
    IS_NOT = "is-not", "is not"
    IS = "is", "is"


class SheetEntry(models.Model):
    """One line of a trial sheet: a key tried, or what a cut was seen to be or not to be."""

    sheet = models.ForeignKey(TrialSheet, models.CASCADE, related_name="entries")
    outcome = models.CharField(max_length=7, choices=Outcome)
    blank = models.PositiveSmallIntegerField(null=True, help_text="which blank in hand, from 1")
    places = models.JSONField(default=list, help_text="2k for depth k, 2k + 1 for the half step beyond it")
    space = models.PositiveSmallIntegerField(null=True, help_text="family order")
    label = models.CharField(max_length=3, blank=True)
    piece = models.ForeignKey(
        Piece, models.SET_NULL, null=True, related_name="tries", help_text="the key as it was tried"
    )
    to_cut = models.ForeignKey(
        Settlement, models.SET_NULL, null=True, related_name="entries", help_text="what a machine is to cut for it"
    )
    withdrawn = models.BooleanField(default=False)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]
