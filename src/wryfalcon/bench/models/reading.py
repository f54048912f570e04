"""What was looked at on the way to a bitting, and what it showed."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from keycore.family import Family
from wryfalcon.bench.models.jobs import Tag
from wryfalcon.codes.models import Code
from wryfalcon.fields import ENDS


class WearGrade(models.TextChoices):
    """How worn the key looks before anything is measured."""

    NEW = "new", "factory new"
    COPY = "copy", "may be a copy"
    SOME = "some", "some wear"
    UNSURE = "unsure", "hard to say"
    WELL_WORN = "well-worn", "well worn"


class SourceKind(models.TextChoices):
    """The ways to a bitting: what was looked at, and with what."""

    CALIPERS = "calipers", "Calipers on a key"
    PROBE = "probe", "A probe on a key"
    MACHINE = "machine", "A machine's decode"
    DEPTH_KEYS = "depth-keys", "Depth keys in the lock"
    PARTS = "parts", "Stamped parts"
    PINS = "pins", "Bottom pins measured"
    GRID = "grid", "A reading tool's grid"
    STAGES = "stages", "A blank cut down"
    COMPARED = "compared", "Cuts compared by eye"
    CODE = "code", "A code"
    KNOWN = "known", "A bitting that is known"
    TRIED = "tried", "Tried in the lock"
    TRY_OUT = "try-out", "Turned by a key of our own"
    SWINGS = "swings", "Discs felt, by swings and clicks"
    TURNED = "turned", "A dial before and after turning"

    @classmethod
    def offered(cls, family: Family) -> list[tuple[str, str]]:
        """Those that a source can be begun as for a family; a key that turned comes from its trial sheet.

        A blank is cut down by stages only where it can be cut again; what its kind is felt by alone comes first.
        """
        others = {cls.TRIED} if family.can_be_recut else {cls.TRIED, cls.STAGES}
        if not any(family.kind.pairs(track) for track in family.tracks):
            others.add(cls.TURNED)
        others |= {*({cls.SWINGS} - family.kind.looks), *map(cls, family.kind.no_looks)}
        found = [choice for choice in cls.choices if choice[0] not in others]
        return sorted(found, key=lambda choice: choice[0] not in family.kind.looks)

    @property
    def is_stated(self) -> bool:
        """Whether it says labels outright."""
        return self in {
            SourceKind.MACHINE, SourceKind.PARTS, SourceKind.GRID, SourceKind.CODE, SourceKind.KNOWN, SourceKind.TRIED,
            SourceKind.TRY_OUT, SourceKind.TURNED,
        }  # fmt: skip

    @property
    def is_of_a_key(self) -> bool:
        """Whether an old key was read, so that its wear counts."""
        return self in {SourceKind.CALIPERS, SourceKind.PROBE, SourceKind.MACHINE}

    @property
    def asks_wear(self) -> bool:
        """Whether it matters how worn the key looks."""
        return self.is_of_a_key or self == self.COMPARED

    @property
    def takes_marks(self) -> bool:
        """Whether a cut of it can be said to be nicked, dirty, burred or on a ramp."""
        return self in {SourceKind.CALIPERS, SourceKind.PROBE}

    @property
    def is_of_one_lock(self) -> bool:
        """Whether it is read in a lock that may have fewer cuts than the key."""
        return self in {SourceKind.GRID, SourceKind.TURNED}

    @property
    def is_typed_value(self) -> bool:
        """Whether it is read as lengths, one after another."""
        return self in {SourceKind.CALIPERS, SourceKind.PROBE, SourceKind.PINS}


class Source(models.Model):
    """One thing that was looked at for one track: it keeps its own counting, wear and sightings."""

    tag = models.ForeignKey(Tag, models.CASCADE, related_name="sources")
    track = models.CharField(max_length=120)
    kind = models.CharField(max_length=10, choices=SourceKind, default=SourceKind.CALIPERS)
    name = models.CharField(max_length=40, blank=True, help_text="which key or lock, where there are several")
    counted_from = models.CharField(max_length=3, choices=ENDS)
    wear = models.CharField(max_length=9, choices=WearGrade, default=WearGrade.UNSURE)
    code = models.ForeignKey(Code, models.PROTECT, null=True, related_name="sources", help_text="its edition with it")
    caliper_sd = models.FloatField(null=True, help_text="of one reading as then studied, mm; null is common practice")
    plug = models.FloatField(null=True, help_text="pins: what root and pin add up to, family unit")
    aid = models.CharField(max_length=12, blank=True, help_text="what its cuts were measured over, by its name")
    aid_size = models.FloatField(null=True, help_text="of that, family unit")
    other_key = models.BooleanField(default=False, help_text="pins: the key that lifts the master pins")
    odd_first = models.BooleanField(default=False, help_text="grid: odd cuts first, then even, as the tool is read")
    of_lock = models.CharField(
        max_length=80, blank=True, help_text="which of the family's locks it is read in; without one every cut is there"
    )
    is_on = models.BooleanField(default=True)
    removed = models.BooleanField(default=False)

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        kind = SourceKind(self.kind).label
        return f"{kind}: {self.name}" if self.name else kind


class TumblerSeen(models.TextChoices):
    """What a tumbler shows."""

    FLUSH = "flush", "flush"
    PROUD = "proud", "not flush"
    UNSURE = "unsure", "unsure"


class Swing(models.TextChoices):
    """How a disc moves at a click."""

    MINOR = "minor", "a little: the next click"
    MAJOR = "major", "a lot: this is it"
    STILL = "still", "not at all: it is the last depth"


class Beside(models.TextChoices):
    """How one cut looks beside another."""

    DEEPER = "deeper", "is deeper than"
    LEVEL = "level", "is level with"
    SHALLOWER = "shallower", "is shallower than"


class CutMark(models.TextChoices):
    """What the smith sees of one cut of a key; the last one said stands."""

    NICKED = "nicked", "nicked"
    DIRTY = "dirty", "dirty"
    BURRED = "burred", "burred"
    ON_RAMP = "on-ramp", "on a ramp"
    SOUND = "sound", "sound after all"


class Sighting(models.Model):
    """What one look showed of one cut. Withdrawn, not deleted, when undone.

    Calipers, probes and pins give a value, a second on the same cut being a repeat. Labels are what a
    machine, a part or a tool's grid says; the last look at a cut stands. Depth keys and a blank cut
    down say how a tumbler sits at a depth. A comparison says how a cut looks beside another, a mark what is the
    matter with a cut.
    """

    source = models.ForeignKey(Source, models.CASCADE, related_name="sightings")
    look = models.PositiveIntegerField(default=0, help_text="sightings entered together share it")
    space = models.PositiveSmallIntegerField(help_text="in the family's own order")
    value = models.FloatField(null=True, help_text="family unit; a pin's length")
    master = models.FloatField(null=True, help_text="the master pin's length, family unit")
    wafers = models.JSONField(default=list, help_text="above the first, lengths in order, family unit")
    top = models.FloatField(null=True, help_text="the top pin's length, family unit; it tells no key")
    labels = models.JSONField(default=list, help_text="the depth stated, or the depths it lies between")
    depth = models.CharField(max_length=3, blank=True, help_text="of the depth key, or of the blank's cut")
    seen = models.CharField(max_length=6, choices=TumblerSeen, blank=True)
    beside = models.PositiveSmallIntegerField(null=True, help_text="the space that it was held against")
    compared = models.CharField(max_length=9, choices=Beside, blank=True, help_text="how it looks beside that")
    mark = models.CharField(max_length=7, choices=CutMark, blank=True)
    typed = models.CharField(max_length=24, blank=True)
    key = models.CharField(max_length=32, blank=True, db_index=True, help_text="of the entry: said twice, kept once")
    withdrawn = models.BooleanField(default=False)
    at = models.DateTimeField(auto_now_add=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")

    class Meta:
        ordering = ["id"]


class Overruling(models.Model):
    """A cut the smith decided otherwise, and why."""

    tag = models.ForeignKey(Tag, models.CASCADE, related_name="overrulings")
    track = models.CharField(max_length=120)
    space = models.PositiveSmallIntegerField()
    label = models.CharField(max_length=3)
    reason = models.CharField(max_length=200)
    filled = models.BooleanField(default=False, help_text="nothing was seen of this cut; it was filled in")
    code = models.ForeignKey(Code, models.PROTECT, null=True, related_name="overrulings", help_text="that it is from")
    withdrawn = models.BooleanField(default=False)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]
