"""A job and everything learned on the way: each job is a tag, as every key in a shop hangs on one."""

from __future__ import annotations

from functools import cached_property

from django.conf import settings
from django.db import models

from keycore.family import Family
from wryfalcon.bench.progress import NAME
from wryfalcon.codes.models import Code, Series
from wryfalcon.library.models import Blank, FamilyRecord
from wryfalcon.machines.models import Cutter, JawSide, Machine, Run


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
    family_record = models.ForeignKey(FamilyRecord, models.PROTECT, null=True, related_name="tags")
    blank = models.ForeignKey(Blank, models.PROTECT, null=True, blank=True, related_name="tags")
    quantity = models.PositiveSmallIntegerField(default=1)
    brought_back_from = models.ForeignKey("self", models.PROTECT, null=True, blank=True, related_name="returns")
    made_by = models.ForeignKey(Run, models.PROTECT, null=True, blank=True, related_name="returns")
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
    def family(self) -> Family:
        """The key family of the job."""
        assert self.family_record is not None
        return self.family_record.family

    @cached_property
    def settlement(self) -> Settlement | None:
        """The bitting as settled, if it has been."""
        return Settlement.objects.filter(tag=self).order_by("-id").first()

    @cached_property
    def set_up(self) -> SetUp | None:
        """The set-up in force, if there is one for the settlement in force."""
        if self.settlement is None:
            return None
        cards = SetUp.objects.filter(tag=self, settlement=self.settlement).order_by("-id")
        found = cards.select_related("machine__fitted", "cutter", "jaw_side").first()
        if found is not None:
            found.settlement = self.settlement
        return found


class Progress(models.Model):
    """How far a tag is: a row of the database's own view, see ``progress.py``."""

    tag = models.OneToOneField(Tag, models.DO_NOTHING, primary_key=True, related_name="progress")
    is_read = models.BooleanField()
    is_settled = models.BooleanField()
    is_read_back = models.BooleanField()
    is_set_up = models.BooleanField(help_text="a card for the settlement in force, every check on it done")
    run_state = models.CharField(max_length=10, blank=True)
    passed = models.BooleanField(null=True, help_text="the verdict kept on the last run of the card in force")
    proven = models.PositiveIntegerField(help_text="keys, each once")

    class Meta:
        managed = False
        db_table = NAME


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

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        return self.name


class WearGrade(models.TextChoices):
    """How worn the key looks before anything is measured."""

    NEW = "new", "hardly used"
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
    CODE = "code", "A code"

    @property
    def is_of_a_key(self) -> bool:
        """Whether an old key was read, so that its wear counts."""
        return self in {SourceKind.CALIPERS, SourceKind.PROBE, SourceKind.MACHINE}

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
    counted_from = models.CharField(max_length=3, choices=[("bow", "the bow"), ("tip", "the tip")])
    wear = models.CharField(max_length=9, choices=WearGrade, default=WearGrade.UNSURE)
    code = models.ForeignKey(Code, models.PROTECT, null=True, related_name="sources", help_text="its edition with it")
    caliper_sd = models.FloatField(null=True, help_text="of one reading as then studied, mm; null is common practice")
    plug = models.FloatField(null=True, help_text="pins: what root and pin add up to, family unit")
    other_key = models.BooleanField(default=False, help_text="pins: the key that lifts the master pins")
    odd_first = models.BooleanField(default=False, help_text="grid: odd cuts first, then even, as the tool is read")
    is_on = models.BooleanField(default=True)
    removed = models.BooleanField(default=False)

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        kind = SourceKind(self.kind).label
        return f"{kind}: {self.name}" if self.name else kind


class Seen(models.TextChoices):
    """What a tumbler shows."""

    FLUSH = "flush", "flush"
    PROUD = "proud", "not flush"
    UNSURE = "unsure", "unsure"


class Sighting(models.Model):
    """What one look showed of one cut. Withdrawn, not deleted, when undone.

    Calipers, probes and pins give a value, a second on the same cut being a repeat. Labels are what a
    machine, a part or a tool's grid says; the last look at a cut stands. Depth keys and a blank cut
    down say how a tumbler sits at a depth.
    """

    source = models.ForeignKey(Source, models.CASCADE, related_name="sightings")
    look = models.PositiveIntegerField(default=0, help_text="sightings entered together share it")
    space = models.PositiveSmallIntegerField(help_text="in the family's own order")
    value = models.FloatField(null=True, help_text="family unit; a pin's length")
    master = models.FloatField(null=True, help_text="the master pin's length, family unit")
    labels = models.JSONField(default=list, help_text="the depth stated, or the depths it lies between")
    depth = models.CharField(max_length=3, blank=True, help_text="of the depth key, or of the blank's cut")
    seen = models.CharField(max_length=6, choices=Seen, blank=True)
    typed = models.CharField(max_length=24, blank=True)
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


class TrialOrder(models.TextChoices):
    """In which order the keys still possible are tried."""

    WITHIN = "within", "likeliest first, within the fewest blanks"
    BLANKS = "blanks", "one blank after another"
    LIKELIEST = "likeliest", "likeliest first, whatever it takes"


class TrialSheet(models.Model):
    """The keys to try for one track of a lock, and how they are tried."""

    tag = models.ForeignKey(Tag, models.CASCADE, related_name="trial_sheets")
    track = models.CharField(max_length=120)
    order = models.CharField(max_length=9, choices=TrialOrder, default=TrialOrder.WITHIN)
    half_steps = models.BooleanField(default=False)
    series = models.ForeignKey(Series, models.PROTECT, null=True, help_text="only its codes are tried")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["tag", "track"], name="one_trial_sheet_of_each_track")]


class Outcome(models.TextChoices):
    """What a try, or a closer look, showed."""

    NO_TURN = "no-turn", "goes in, does not turn"
    TURNS = "turns", "turns"
    SPOILED = "spoiled", "blank spoiled"
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
    withdrawn = models.BooleanField(default=False)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]


class Intent(models.TextChoices):
    """What is cut from what the key is."""

    RESTORE = "restore", "Restore"
    COPY = "copy", "Copy"
    COMPENSATE = "compensate", "Compensate"


class Settlement(models.Model):
    """What the key is, and what is cut; a change of mind is a new row."""

    tag = models.ForeignKey(Tag, models.CASCADE, related_name="settlements")
    bitting = models.JSONField(help_text="labels by track, family order: what the key is")
    chance = models.FloatField(null=True, help_text="of the whole bitting; null when overruled or given")
    intent = models.CharField(max_length=10, choices=Intent, default=Intent.RESTORE)
    deeper_by = models.FloatField(default=0.0, help_text="compensate: family unit, positive is deeper")
    deeper_cuts = models.JSONField(default=list, help_text="track, space, steps, reason")
    values = models.JSONField(help_text="depth values to cut, by track, family unit")
    reason = models.CharField(max_length=200, blank=True)
    edition = models.CharField(max_length=200, blank=True)
    read_back_at = models.DateTimeField(null=True, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)


class SetUp(models.Model):
    """The card: which machine, cutter and jaw, what was checked, and the exact commands."""

    tag = models.ForeignKey(Tag, models.CASCADE, related_name="set_ups")
    settlement = models.ForeignKey(Settlement, models.CASCADE, related_name="set_ups")
    machine = models.ForeignKey(Machine, models.PROTECT)
    cutter = models.ForeignKey(Cutter, models.PROTECT)
    jaw_side = models.ForeignKey(JawSide, models.PROTECT, null=True)
    style = models.CharField(max_length=8, choices=[("plunged", "plunged"), ("ramped", "ramped")], default="plunged")
    ticks = models.JSONField(default=list)
    commands = models.JSONField(default=list, help_text="mm: side, position, value, offsets put in")
    checked_at = models.DateTimeField(null=True, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)


class ProofValue(models.Model):
    """One measurement of a new key."""

    run = models.ForeignKey(Run, models.CASCADE, related_name="proof_values")
    track = models.CharField(max_length=120)
    space = models.PositiveSmallIntegerField()
    value = models.FloatField(help_text="family unit")
    position = models.FloatField(null=True, help_text="family unit, from the gauge")
    source = models.CharField(max_length=8, choices=[("typed", "typed"), ("caliper", "machine's caliper")])
    typed = models.CharField(max_length=24, blank=True)
    withdrawn = models.BooleanField(default=False)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]


class Proof(models.Model):
    """The verdict on a new key, kept when the smith has seen it."""

    run = models.OneToOneField(Run, models.CASCADE, related_name="proof")
    verdict = models.CharField(max_length=8, choices=[(v, v) for v in ("inside", "doubtful", "outside")])
    cuts = models.JSONField(help_text="track, space, error, verdict; family unit")
    causes = models.JSONField(help_text="cause, weight, says; likeliest first")
    passed = models.BooleanField(help_text="good enough to hand over, as the smith judged it")
    reason = models.CharField(max_length=200, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now=True)


class WayUp(models.TextChoices):
    """Which way up the key went in."""

    UP = "up", "cuts up"
    DOWN = "down", "cuts down"


class Trial(models.Model):
    """How a new key goes in, turns and comes out of one lock."""

    run = models.ForeignKey(Run, models.CASCADE, related_name="trials")
    lock = models.ForeignKey(Lock, models.CASCADE, related_name="trials")
    way_up = models.CharField(max_length=4, choices=WayUp, default=WayUp.UP)
    worked = models.BooleanField(default=False, help_text="after working it a few times")
    enters = models.CharField(max_length=5, choices=Felt, blank=True)
    turns = models.CharField(max_length=5, choices=Felt, blank=True)
    leaves = models.CharField(max_length=5, choices=Felt, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(fields=["run", "lock", "way_up", "worked"], name="one_trial_of_each_sort")
        ]
