"""How machines are kept true: trims, care, looks at wheels, copies, practice, hands."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.utils import timezone

from keycore.machines.touch import TouchMark
from keycore.proving.lock import Feel
from wryfalcon.machines.models.machine import Cutter, JawSide, Machine, MachineOffset


class Trim(models.Model):
    """A machine measured by keys of known target, from the test bitting to what was adjusted."""

    machine = models.ForeignKey(Machine, models.CASCADE, related_name="trims")
    gauge = models.CharField(max_length=8, choices=[("shoulder", "Shoulder"), ("tip", "Tip")])
    family_record = models.ForeignKey("library.FamilyRecord", models.PROTECT, related_name="+")
    track = models.CharField(max_length=120)
    steps = models.JSONField(help_text="the test bitting, family order")
    beside = models.CharField(
        max_length=120, blank=True, help_text="measured with it: the wall across, or holes of another drill"
    )
    steps_beside = models.JSONField(default=list, help_text="the test bitting of that track, family order")
    tag = models.ForeignKey("bench.Tag", models.SET_NULL, null=True, related_name="+", help_text="made the test keys")
    jaw_side = models.ForeignKey(JawSide, models.PROTECT, null=True, blank=True, related_name="+")
    cutter = models.ForeignKey(Cutter, models.SET_NULL, null=True, related_name="+", help_text="on it then")
    is_check = models.BooleanField(default=False, help_text="a morning check: one key, true or not")
    known_size = models.FloatField(null=True, help_text="of the gauge block the caliper was tried on, mm")
    known_read = models.FloatField(null=True, help_text="what the caliper said of it, mm")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    closed_at = models.DateTimeField(null=True, blank=True)
    verdict = models.CharField(max_length=7, blank=True)

    class Meta:
        ordering = ["-at", "-id"]

    def __str__(self) -> str:
        return f"{self.machine}, {self.gauge}"


class TrimReading(models.Model):
    """What a caliper said of one cut of one clamping."""

    trim = models.ForeignKey(Trim, models.CASCADE, related_name="readings")
    clamping = models.PositiveSmallIntegerField()
    track = models.CharField(max_length=120, blank=True, help_text="the one measured beside; none is its own")
    space = models.PositiveSmallIntegerField(help_text="family order, from 1")
    value = models.FloatField(null=True, help_text="family unit")
    position = models.FloatField(null=True, help_text="family unit, from the gauge")
    withdrawn = models.BooleanField(default=False)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["clamping", "space", "id"]


class OffsetChange(models.Model):
    """An offset that was changed, why, and what it was before."""

    offset = models.ForeignKey(MachineOffset, models.CASCADE, related_name="changes")
    value_before = models.FloatField(help_text="mm")
    space_before = models.FloatField(help_text="mm")
    value_after = models.FloatField(help_text="mm")
    space_after = models.FloatField(help_text="mm")
    turned = models.FloatField(default=0.0, help_text="by the screw instead of the number, mm")
    why = models.CharField(max_length=200, blank=True)
    trim = models.ForeignKey(Trim, models.SET_NULL, null=True, blank=True, related_name="changes")
    undone = models.BooleanField(default=False)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-at", "-id"]


class Work(models.TextChoices):
    """What is done to a machine besides cutting. Those marked so make its offset unknown again."""

    WHEEL = "wheel", "put a new cutter on"
    SWAPPED = "swapped", "put another cutter on"
    JAW = "jaw", "changed or squared the jaw"
    JAM = "jam", "cleared a jam"
    SERVICE = "service", "had it serviced"
    BRUSHED = "brushed", "brushed the chips away"
    CLEANED = "cleaned", "cleaned jaws and slides"
    TIGHTENED = "tightened", "tightened nuts and screws"
    HOMED = "homed", "homed it"
    TOUCHED = "touched", "trimmed it by touch"
    THUMPED = "thumped", "heard it thump past home"
    BURRS = "burrs", "found burrs on its keys"
    SHOOK = "shook", "felt it shake"

    @property
    def done(self) -> str:
        """What was done, whoever did it."""
        return {
            Work.WHEEL: "a new cutter was put on", Work.SWAPPED: "another cutter was put on",
            Work.JAW: "its jaw was changed or squared", Work.JAM: "a jam was cleared", Work.SERVICE: "it was serviced",
            Work.BRUSHED: "its chips were brushed away", Work.CLEANED: "jaws and slides were cleaned",
            Work.TIGHTENED: "nuts and screws were tightened", Work.HOMED: "it was homed",
            Work.TOUCHED: "it was trimmed by touch", Work.THUMPED: "it was heard to thump past home",
            Work.BURRS: "its keys had burrs", Work.SHOOK: "it shook",
        }[self]  # fmt: skip

    @property
    def moves_it(self) -> bool:
        """Whether the machine must be checked anew afterwards."""
        return self in {Work.WHEEL, Work.JAW, Work.JAM, Work.SERVICE, Work.TOUCHED, Work.THUMPED}


class MachineWork(models.Model):
    """Care and repair, kept with who and when."""

    machine = models.ForeignKey(Machine, models.CASCADE, related_name="work")
    what = models.CharField(max_length=9, choices=Work)
    cutter = models.ForeignKey(
        Cutter, models.SET_NULL, null=True, blank=True, related_name="work", help_text="fitted then, or by it"
    )
    note = models.CharField(max_length=200, blank=True)
    by = models.ForeignKey(
        settings.AUTH_USER_MODEL, models.PROTECT, null=True, related_name="+", help_text="none is told by the machine"
    )
    at = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["-at", "-id"]


class TouchTry(models.Model):
    """What two like blanks showed of follower against wheel, and how far the wheel was moved then."""

    machine = models.ForeignKey(Machine, models.CASCADE, related_name="touches")
    showed = models.CharField(max_length=7, choices=[(mark.value, mark.value) for mark in TouchMark])
    moved = models.FloatField(help_text="mm, closer is positive")
    cylinder = models.CharField(
        max_length=5,
        blank=True,
        choices=[(feel.value, feel.value) for feel in Feel],
        help_text="after a nick: how its proving key went in its cylinder",
    )
    is_done = models.BooleanField(default=False, help_text="of a trim that is over")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]


class HiddenFault(models.TextChoices):
    """What can be put wrong with the simulated machine for a learner."""

    DEPTH = "depth", "the depth setting"
    GAUGE = "gauge", "the gauge setting"
    JAW = "jaw", "the jaw out of square"
    WHEEL = "wheel", "the wheel wearing away"
    NOTHING = "nothing", "nothing at all"

    @property
    def is_trimmed(self) -> bool:
        """Whether an adjustment mends it."""
        return self in {HiddenFault.DEPTH, HiddenFault.GAUGE}


class Practice(models.Model):
    """A learner and the simulated machine with a hidden fault: what it was, and how it went."""

    machine = models.ForeignKey(Machine, models.CASCADE, related_name="practices")
    hidden = models.CharField(max_length=7, choices=HiddenFault, default=HiddenFault.DEPTH)
    named = models.CharField(max_length=7, choices=HiddenFault, blank=True, help_text="what the learner says it was")
    fault = models.FloatField(help_text="how much of it: mm; of a jaw mm a mm; of a wheel mm a cut")
    keys_before = models.PositiveIntegerField()
    keys_used = models.PositiveIntegerField(null=True)
    left_over = models.FloatField(null=True, help_text="mm")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    began_at = models.DateTimeField(auto_now_add=True)
    ended_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["-id"]

    @property
    def minutes(self) -> int:
        """How long it took."""
        return round((self.ended_at - self.began_at).total_seconds() / 60) if self.ended_at else 0


class CutterLook(models.Model):
    """A wheel's flat and angle as its test cuts show them."""

    cutter = models.ForeignKey(Cutter, models.CASCADE, related_name="looks")
    cuts = models.JSONField(help_text="mm: depth below the edge, width at the edge")
    flat = models.FloatField(help_text="mm")
    flat_sd = models.FloatField(help_text="mm")
    angle = models.FloatField(help_text="included, degrees")
    angle_sd = models.FloatField(help_text="degrees")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-at", "-id"]


class Duplicate(models.Model):
    """A key traced from a pattern, both measured: evidence about the machine that traced it."""

    machine = models.ForeignKey(Machine, models.CASCADE, related_name="duplicates")
    family_record = models.ForeignKey("library.FamilyRecord", models.PROTECT, related_name="+")
    tag = models.ForeignKey("bench.Tag", models.SET_NULL, null=True, blank=True, related_name="duplicates")
    track = models.CharField(max_length=120)
    pattern = models.JSONField(help_text="values, family order and unit; null for what was not measured")
    copy = models.JSONField(help_text="likewise")
    cutter = models.ForeignKey(Cutter, models.SET_NULL, null=True, related_name="+", help_text="on it then")
    repeats = models.PositiveSmallIntegerField(default=1, help_text="of each cut, meaned; the fewest")
    withdrawn = models.BooleanField(default=False)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-at", "-id"]


class HandStudy(models.Model):
    """Cuts measured several times by one or more people: how well hands and calipers measure."""

    instrument = models.CharField(max_length=40)
    people = models.JSONField(help_text="names, in the order of the readings")
    readings = models.JSONField(help_text="mm: people, cuts, repeats")
    repeatability = models.FloatField(help_text="mm, sd")
    reproducibility = models.FloatField(help_text="mm, sd")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-at", "-id"]

    @property
    def whole(self) -> float:
        """One reading by any of these hands, sd, mm."""
        return float((self.repeatability**2 + self.reproducibility**2) ** 0.5)


class CopyStep(models.TextChoices):
    """What is done at a side-milling duplicator before it copies grooves, or holes, each in this order."""

    BACK = "back", "Depth back to where mill and tracer are levelled; nothing locked"
    MATCH = "match", "Mill and tracer touched to identical flats, level"
    DEPTH = "depth", "Depth set on the pattern, the blank’s jaw empty"
    LIFT = "lift", "Follower lifted off the pattern’s floor, locked"
    BLANK = "blank", "Blank in, stopped as the pattern is: by the shoulder, or by the tip where the blade is too short"
    LOCK = "lock", "Tracer’s spring locked; drill and tracer touched to identical flats, level"
    ROW = "row", "Pattern and blank flat, at the same stop; sideways motion locked on the first row"
    FREE = "free", "Outer holes done. Spring free; inner drill and tracer in, their height set to the inner tip"

    @classmethod
    def of_grooves(cls) -> tuple[CopyStep, ...]:
        """Those for keys with walls milled into their faces."""
        return (cls.BACK, cls.MATCH, cls.DEPTH, cls.LIFT, cls.BLANK)

    @classmethod
    def of_holes(cls, *, with_inner: bool) -> tuple[CopyStep, ...]:
        """Those for keys with holes: the spring is freed only for inner ones."""
        return (cls.LOCK, cls.ROW, cls.FREE) if with_inner else (cls.LOCK, cls.ROW)


class CopyStepDone(models.Model):
    """One of those steps done, for which profile; a later job of the same kind may rest on it."""

    machine = models.ForeignKey(Machine, models.CASCADE, related_name="copy_steps")
    step = models.CharField(max_length=5, choices=CopyStep)
    profile = models.CharField(max_length=120, help_text="the family's name, or the blank's where it is not known")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    at = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["id"]


class Shift(models.Model):
    """A duplicator moved on purpose for one pattern: out of true for every other key until it is put back."""

    machine = models.ForeignKey(Machine, models.CASCADE, related_name="shifts")
    tag = models.ForeignKey("bench.Tag", models.SET_NULL, null=True, related_name="+")
    by_mm = models.FloatField(help_text="of its depth, mm, away from the key is positive")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    put_back_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(
                fields=["machine"], condition=models.Q(put_back_at=None), name="one_shift_at_a_time"
            )
        ]
