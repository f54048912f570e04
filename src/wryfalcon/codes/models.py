"""Code series: their editions, their codes, and tables still being read."""

from __future__ import annotations

from datetime import timedelta

from django.conf import settings
from django.db import models
from django.utils import timezone

from wryfalcon.library.models import FamilyRecord

SILENT = timedelta(seconds=60)


class SeriesState(models.TextChoices):
    """Where an edition of a series stands. Only those in force are searched."""

    READING = "reading", "being read"
    CHECKED = "checked", "checked, not in force yet"
    IN_FORCE = "in-force", "in force"
    REPLACED = "replaced", "replaced by a later edition"


class SeriesQuerySet(models.QuerySet["Series"]):
    """Series by where they stand."""

    def in_force(self) -> SeriesQuerySet:
        """Those that are searched."""
        return self.filter(state=SeriesState.IN_FORCE)


class Series(models.Model):
    """One table of codes, of one edition."""

    slug = models.SlugField(max_length=60)
    edition = models.CharField(max_length=60, blank=True)
    name = models.CharField(max_length=120)
    maker = models.CharField(max_length=120, blank=True)
    use = models.CharField(max_length=120, blank=True, help_text="what locks carry these codes")
    family_record = models.ForeignKey(FamilyRecord, models.PROTECT, related_name="series")
    track = models.CharField(max_length=120)
    printed = models.CharField(max_length=40, blank=True, help_text="# counts, x does not, in a code as printed")
    formula = models.CharField(max_length=300, blank=True, help_text="in words, for a series that has one")
    note = models.CharField(max_length=300, blank=True)
    state = models.CharField(max_length=8, choices=SeriesState, default=SeriesState.READING)
    replaces = models.ForeignKey("self", models.PROTECT, null=True, blank=True, related_name="replaced_by")
    count = models.PositiveIntegerField(default=0)
    flagged = models.PositiveIntegerField(default=0, help_text="codes whose bitting breaks a rule of the family")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    objects = SeriesQuerySet.as_manager()

    class Meta:
        ordering = ["name", "-at"]
        constraints = [models.UniqueConstraint(fields=["slug", "edition"], name="one_of_each_edition")]

    def __str__(self) -> str:
        return f"{self.name}, {self.edition}" if self.edition else self.name

    @property
    def is_being_read(self) -> bool:
        """Whether its file is still being read."""
        return self.state == SeriesState.READING

    @property
    def is_checked(self) -> bool:
        """Whether its file is read and waits to be put in force."""
        return self.state == SeriesState.CHECKED

    @property
    def was_in_force(self) -> bool:
        """Whether it is or was in force, so that codes may have been cut by it."""
        return self.state in (SeriesState.IN_FORCE, SeriesState.REPLACED)


class Code(models.Model):
    """One code: as printed, as it is looked up, and its bitting in the family's order."""

    series = models.ForeignKey(Series, models.CASCADE, related_name="codes", db_index=False)
    code = models.CharField(max_length=40)
    looked_up = models.CharField(max_length=40)
    bitting = models.CharField(max_length=240, help_text="labels with a space between")
    broken = models.CharField(max_length=60, blank=True, help_text="the rules of the family it breaks")

    class Meta:
        # The one index there is: a code is looked for in every series, and comes once in each.
        constraints = [models.UniqueConstraint(fields=["looked_up", "series"], name="one_code_once_in_a_series")]

    def __str__(self) -> str:
        return self.code


class Column(models.Model):
    """The cuts that a run of codes has at one space: what a search by bitting reads instead of every row."""

    series = models.ForeignKey(Series, models.CASCADE, related_name="columns", db_index=False)
    first = models.PositiveBigIntegerField(help_text="key of the first code of the run; they follow one another")
    space = models.PositiveSmallIntegerField(help_text="from 0, in the family's order")
    steps = models.BinaryField(help_text="one byte a code, its place in the depth table")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["series", "space", "first"], name="one_column_of_each_run")]

    def __str__(self) -> str:
        return f"space {self.space + 1} from code {self.first}"


class Names(models.Model):
    """The codes of a run as they are printed, beside its columns."""

    series = models.ForeignKey(Series, models.CASCADE, related_name="names", db_index=False)
    first = models.PositiveBigIntegerField(help_text="key of the first code of the run")
    width = models.PositiveSmallIntegerField(help_text="bytes that each code takes")
    codes = models.BinaryField(help_text="UTF-8, filled up with zero bytes")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["series", "first"], name="names_of_each_run")]

    def __str__(self) -> str:
        return f"codes from {self.first}"


class Intake(models.Model):
    """A table being read, or read and not yet brought in: how far it is and what is wrong with it."""

    series = models.OneToOneField(Series, models.CASCADE, related_name="intake")
    file = models.CharField(max_length=200)
    size = models.PositiveBigIntegerField(help_text="bytes of the file")
    read = models.PositiveBigIntegerField(default=0, help_text="bytes read so far")
    rows = models.PositiveIntegerField(default=0)
    bad = models.PositiveIntegerField(default=0)
    problem = models.CharField(max_length=300, blank=True, help_text="what stopped the reading")
    reading = models.PositiveIntegerField(
        default=0, help_text="which reading of the file this is; an older one gives up"
    )
    stop_asked = models.BooleanField(default=False)
    heard_at = models.DateTimeField(auto_now=True)
    added = models.PositiveIntegerField(null=True, help_text="codes that the edition before lacks")
    changed = models.PositiveIntegerField(null=True, help_text="codes with another bitting than before")
    gone = models.PositiveIntegerField(null=True, help_text="codes of the edition before that are missing")

    def __str__(self) -> str:
        return f"{self.series}, {self.rows} rows read"

    @property
    def is_silent(self) -> bool:
        """Whether nothing was heard of its reading for so long that its process must have died."""
        return timezone.now() - self.heard_at > SILENT

    @property
    def share(self) -> float:
        """How much of the file is read, 0 to 1."""
        return min(1.0, self.read / self.size) if self.size else 0.0


class BadCode(models.Model):
    """A row of a table that cannot be taken, and why."""

    intake = models.ForeignKey(Intake, models.CASCADE, related_name="bad_codes")
    line = models.PositiveIntegerField()
    code = models.CharField(max_length=40, blank=True)
    bitting = models.CharField(max_length=240, blank=True, help_text="as it was written")
    reason = models.CharField(max_length=200)

    class Meta:
        ordering = ["line"]

    def __str__(self) -> str:
        return f"line {self.line}, {self.code or 'no code'}: {self.reason}"
