"""Key families as the shop keeps them, the blanks on its hooks, and the guide to what they fit."""

from __future__ import annotations

from functools import cached_property
from hashlib import sha256

from django.conf import settings
from django.db import models
from django.urls import reverse
from django.utils.http import urlencode

from keycore.editions import reads_bittings
from keycore.family import Family
from keycore.reading.guide import BlankNumber, GuideRow
from wryfalcon.documents import parsed


class EditionState(models.TextChoices):
    """Where an edition of a family stands. New keys are made by the one in force."""

    CHECKED = "checked", "checked, not in force yet"
    IN_FORCE = "in-force", "in force"
    REPLACED = "replaced", "no longer in force"


class FamilyQuerySet(models.QuerySet["FamilyRecord"]):
    """Families by where their editions stand."""

    def in_force(self) -> FamilyQuerySet:
        """One edition of each family: what new keys are made by."""
        return self.filter(state=EditionState.IN_FORCE)

    def checked(self) -> FamilyQuerySet:
        """Those that wait to be put in force."""
        return self.filter(state=EditionState.CHECKED)


class FamilyRecord(models.Model):
    """One edition of a key family: its document, and what the shop adds to it.

    Keys, codes, trims and tools hang on the edition they were made by, and keep it when another comes in force.
    """

    slug = models.SlugField(max_length=80)
    name = models.CharField(max_length=120)
    kind = models.CharField(max_length=12)
    unit = models.CharField(max_length=2)
    edition = models.CharField(max_length=200, blank=True)
    document = models.TextField()
    restricted = models.BooleanField(default=False, help_text="no key without the authority recorded")
    provenance = models.CharField(max_length=200, blank=True)
    state = models.CharField(max_length=8, choices=EditionState, default=EditionState.IN_FORCE)
    in_force_at = models.DateTimeField(null=True, help_text="last put in force; none for a family's first edition")
    created_at = models.DateTimeField(auto_now_add=True)
    changed_at = models.DateTimeField(auto_now=True)

    objects = FamilyQuerySet.as_manager()

    class Meta:
        ordering = ["name"]
        constraints = [
            models.UniqueConstraint(fields=["slug", "edition"], name="one_family_of_each_edition"),
            models.UniqueConstraint(
                fields=["slug"], condition=models.Q(state=EditionState.IN_FORCE), name="one_edition_in_force"
            ),
            models.UniqueConstraint(
                fields=["slug"], condition=models.Q(state=EditionState.CHECKED), name="one_edition_waits"
            ),
        ]

    def __str__(self) -> str:
        return self.name

    def get_absolute_url(self) -> str:
        """Its page: the family's own, or that of an edition which is not in force."""
        page = reverse("library:family", args=[self.slug])
        return page if self.is_in_force else f"{page}?{urlencode({'edition': self.edition})}"

    @cached_property
    def on_hooks(self) -> list[Blank]:
        """Its blanks, by their codes."""
        return _blanks_of(self)

    @property
    def named(self) -> str:
        """Its name with its edition."""
        return f"{self.name}, edition {self.edition or 'not named'}"

    @property
    def called(self) -> str:
        """Its name, with its edition where that is not in force."""
        return self.name if self.is_in_force else self.named

    @property
    def is_in_force(self) -> bool:
        """Whether new keys are made by it."""
        return self.state == EditionState.IN_FORCE

    @property
    def is_checked(self) -> bool:
        """Whether it waits to be put in force."""
        return self.state == EditionState.CHECKED

    @property
    def digest(self) -> str:
        """What its document is known by: a page that shows it says so, since one that waits may make way."""
        return sha256(self.document.encode()).hexdigest()[:16]

    def reads(self, other: FamilyRecord) -> bool:
        """Whether a bitting written by another edition means the same cuts by this one."""
        if self.slug != other.slug:
            return False
        return self.pk == other.pk or reads_bittings(other.family, self.family)

    @cached_property
    def family(self) -> Family:
        """The family itself, checked."""
        return parsed(self.document)


class Blank(models.Model):
    """A kind of blank: where it hangs and how many are left."""

    code = models.CharField(max_length=40, unique=True)
    hook = models.CharField(max_length=20)
    left = models.PositiveIntegerField(default=0)
    families = models.ManyToManyField(FamilyRecord, related_name="blanks")

    class Meta:
        ordering = ["code"]

    def __str__(self) -> str:
        return f"{self.code}, hook {self.hook}, {self.left} left"


def _blanks_of(record: FamilyRecord) -> list[Blank]:
    return list(record.blanks.all())


class Guide(models.Model):
    """A fitting guide: what the shop's keys are for, row by row; one table of each name, its edition with it."""

    slug = models.SlugField(max_length=80, unique=True)
    name = models.CharField(max_length=120)
    edition = models.CharField(max_length=200, blank=True)
    source = models.CharField(max_length=200, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True, related_name="+")
    at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return f"{self.name}, {self.edition}" if self.edition else self.name


METAL_ALONE = "metal alone"


class GuideEntry(models.Model):
    """One row of a guide."""

    guide = models.ForeignKey(Guide, models.CASCADE, related_name="entries")
    what = models.CharField(max_length=120)
    since = models.PositiveSmallIntegerField(null=True, blank=True)
    until = models.PositiveSmallIntegerField(null=True, blank=True)
    use = models.CharField(max_length=60, blank=True)
    family = models.CharField(max_length=80, blank=True, help_text="its id, whether the library has it or not")
    cuts = models.PositiveSmallIntegerField(null=True, blank=True)
    blanks = models.JSONField(default=list, help_text="pairs of supplier and number")
    clamp = models.CharField(max_length=120, blank=True)
    face = models.CharField(max_length=120, blank=True)
    stop = models.CharField(max_length=120, blank=True)
    electronics = models.CharField(max_length=60, blank=True)
    procedure = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["guide", "id"]

    def __str__(self) -> str:
        return self.what

    @property
    def head(self) -> str:
        """What is in its head, in words."""
        return METAL_ALONE if self.electronics == "none" else self.electronics

    @property
    def handling(self) -> dict[str, str]:
        """What it says of making the key, by name; only what it does say, and which guide does."""
        said = {name: str(getattr(self, name)) for name in ("clamp", "face", "stop", "electronics", "procedure")}
        told = {name: text for name, text in said.items() if text}
        return {**told, "guide": str(self.guide)} if told else {}

    @property
    def row(self) -> GuideRow:
        """The row itself."""
        blanks = tuple(BlankNumber(supplier, number) for supplier, number in self.blanks)
        return GuideRow(
            self.what, self.since, self.until, self.use, self.family, self.cuts, blanks, self.clamp, self.face,
            self.stop, self.electronics, self.procedure,
        )  # fmt: skip


class CardRule(models.Model):
    """How the cards of a family are printed, as it was said last: every edition of it shares the rule."""

    slug = models.SlugField(max_length=80, unique=True, help_text="of the family")
    printed = models.CharField(max_length=40, help_text="# for a character that counts, x for one that does not")

    def __str__(self) -> str:
        return f"{self.slug}: {self.printed}"


class NotInGuide(models.Model):
    """Something that was asked for and that no row of the guide is for: a job this shop could not do."""

    words = models.CharField(max_length=120)
    year = models.PositiveSmallIntegerField(null=True)
    cuts = models.PositiveSmallIntegerField(null=True)
    number = models.CharField(max_length=40, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-at", "-id"]

    def __str__(self) -> str:
        return self.words
