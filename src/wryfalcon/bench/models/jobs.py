"""A job and who it is for: each job is a tag, as every key in a shop hangs on one."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING, Any

from django.db import models
from django.db.models import QuerySet

from keycore.family import Family
from wryfalcon.library.models import Blank, FamilyRecord

if TYPE_CHECKING:
    from wryfalcon.bench.models.settling import Settlement, SetUp


class OnBench(models.TextChoices):
    """What the customer brought."""

    WORN_KEY = "worn-key", "a worn key"
    GOOD_KEY = "good-key", "a good key"
    RETURNED_KEY = "returned-key", "a key brought back"
    LOCK = "lock", "a lock and no key"
    LOCK_PARTS = "lock-parts", "a lock in pieces"
    PART_LOCK = "part-lock", "only part of the locks"
    CODE = "code", "a bitting or a code"
    RECORD = "record", "a record of an earlier key"
    PICTURE = "picture", "a picture of a lock, for a quotation"


class TagState(models.TextChoices):
    """Open until handed over or honestly declined."""

    OPEN = "open", "open"
    CLOSED = "closed", "handed over"
    DECLINED = "declined", "not one for us"


class Customer(models.Model):
    """A name or a nickname, as little as the shop needs."""

    name = models.CharField(max_length=80, unique=True)

    def __str__(self) -> str:
        return self.name


class Tag(models.Model):
    """One job."""

    number = models.PositiveIntegerField(unique=True)
    title = models.CharField(max_length=120)
    customer = models.ForeignKey(Customer, models.PROTECT, related_name="tags")
    on_bench = models.CharField(max_length=14, choices=OnBench, default=OnBench.WORN_KEY)
    authority = models.CharField(max_length=200, blank=True)
    stamped = models.CharField(max_length=80, blank=True, help_text="on the bow of the old key, word for word")
    family_record = models.ForeignKey(FamilyRecord, models.PROTECT, null=True, related_name="tags")
    blank = models.ForeignKey(Blank, models.PROTECT, null=True, blank=True, related_name="tags")
    guide = models.JSONField(
        default=dict,
        help_text="what its row of the fitting guide says of making it: clamp, face, stop",
    )
    quantity = models.PositiveSmallIntegerField(default=1)
    is_copied = models.BooleanField(default=False, help_text="its keys are copied from their pattern, not read first")
    generation = models.PositiveSmallIntegerField(
        null=True, help_text="of the key in hand: 0 cut by its depths, 1 a copy of such a key, 2 a copy of a copy"
    )
    blade_lost_mm = models.FloatField(null=True, help_text="of the old key's height beside a blank's")
    blade_lost_at = models.FloatField(null=True, help_text="where that was measured, 0 at the bow to 1 at the tip")
    brought_back_from = models.ForeignKey("self", models.PROTECT, null=True, blank=True, related_name="returns")
    made_by = models.ForeignKey("bench.Piece", models.PROTECT, null=True, blank=True, related_name="returns")
    note = models.TextField(blank=True)
    state = models.CharField(max_length=8, choices=TagState, default=TagState.OPEN, db_index=True)
    why_declined = models.CharField(max_length=200, blank=True)
    taken_in_at = models.DateTimeField(auto_now_add=True)
    closed_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["-number"]

    def __str__(self) -> str:
        return f"{self.number:04d}"

    @property
    def is_open(self) -> bool:
        """Whether it hangs on the bench: nothing is done on one that was handed over or declined."""
        return self.state == TagState.OPEN

    @property
    def family(self) -> Family:
        """The key family of the job."""
        assert self.family_record is not None
        return self.family_record.family

    @cached_property
    def settlement(self) -> Settlement | None:
        """The bitting as settled, if it has been."""
        return _settled(self).first()

    @property
    def is_read_back(self) -> bool:
        """Whether its bitting is settled and read back."""
        return self.settlement is not None and self.settlement.read_back_at is not None

    @property
    def to_cut(self) -> Settlement | None:
        """What a machine is to cut next: the bitting as settled, before that the key of a trial sheet that is out."""
        return self.settlement or self.try_out

    @cached_property
    def try_out(self) -> Settlement | None:
        """The key of a trial sheet that a machine is to cut or has cut, and that was not tried yet."""
        return _tried_out(self).first()

    @cached_property
    def set_up(self) -> SetUp | None:
        """The card in force, if there is one for what is to be cut."""
        found = None
        if self.__dict__.get("settlement", self) is not None:  # not looked up, or there is one
            found = self._with_me(_card_as_settled(self).first())
        if found is not None:
            found.settlement = self.__dict__.setdefault("settlement", found.settlement)
        elif self.settlement is None and self.to_cut is not None:
            found = self._with_me(_card_for(self, self.to_cut).first())
        return found

    def _with_me(self, card: SetUp | None) -> SetUp | None:
        if card is not None:
            card.tag = self
        return card


def _settled(tag: Tag) -> QuerySet[Settlement]:
    return tag.settlements.filter(is_try=False).order_by("-id")


def _tried_out(tag: Tag) -> QuerySet[Settlement]:
    return tag.settlements.filter(entries__outcome="sent", entries__withdrawn=False).order_by("-id")


def _card_for(tag: Tag, settlement: Settlement) -> QuerySet[SetUp]:
    return _cards_of(tag, settlement)


def _card_as_settled(tag: Tag) -> QuerySet[SetUp]:
    return _cards_of(tag, tag.settlements.filter(is_try=False).order_by("-id").values("pk")[:1])


def _cards_of(tag: Tag, settlement: Any) -> QuerySet[SetUp]:
    cards = tag.set_ups.filter(settlement=settlement).order_by("-id")
    return cards.select_related("settlement", "machine__fitted", "cutter", "jaw_side__clamp")


class Asked(models.TextChoices):
    """What must be known of a lock that only a picture was sent of."""

    BORE = "bore", "Bore of the barrel, or width of the keyway"
    LEVERS = "levers", "How many levers, or cuts"
    BIT = "bit", "Size of the bit, or of the blade"
    WORKS = "works", "Which key works it now, if any does"


class Answer(models.Model):
    """What was heard of a lock that a picture was sent of."""

    tag = models.ForeignKey(Tag, models.CASCADE, related_name="answers")
    asked = models.CharField(max_length=6, choices=Asked)
    text = models.CharField(max_length=120)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["tag", "asked"], name="each_question_answered_once")]


class Picture(models.Model):
    """A picture that was sent: small, and without where, when and with what it was taken."""

    tag = models.OneToOneField(Tag, models.CASCADE, related_name="picture")
    jpeg = models.BinaryField()
    at = models.DateTimeField(auto_now=True)


class Felt(models.TextChoices):
    """How a key goes in, turns or comes out."""

    FREE = "free", "freely"
    RUBS = "rubs", "rubs or is stiff"
    SNAGS = "snags", "snags, then goes"
    STUCK = "stuck", "will not"
    UNKNOWN = "", "not tried"


class Lock(models.Model):
    """A lock the new key must work, and how the old key feels in it."""

    tag = models.ForeignKey(Tag, models.CASCADE, related_name="locks")
    name = models.CharField(max_length=80)
    enters = models.CharField(max_length=5, choices=Felt, blank=True)
    turns = models.CharField(max_length=5, choices=Felt, blank=True)
    leaves = models.CharField(max_length=5, choices=Felt, blank=True)
    grade = models.PositiveSmallIntegerField(null=True, help_text="of the old key in it, 0 will not to 10 as new")

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        return self.name
