"""Cutting machines, what is fitted to them, and the runs they make."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.db.models.functions import Coalesce

from keycore.machines.touch import Mark


class DriverKind(models.TextChoices):
    """How the application reaches a machine."""

    BENCH = "bench", "Code machine on the line"
    FILE = "file", "Cut plan as a file"
    NONE = "none", "Not driven from here"


class MachineKind(models.TextChoices):
    """How a machine works, which decides how it is kept true."""

    CODE = "code", "Code machine"
    CODE_HAND = "code-hand", "Code machine worked by hand"
    TRACING = "tracing", "Tracing duplicator"
    SIDE_MILL = "side-mill", "Side-milling duplicator"


TRACES = (MachineKind.TRACING, MachineKind.SIDE_MILL)
"""The kinds that follow a pattern key."""


class Closer(models.TextChoices):
    """Which way an adjusting screw or dial brings the cutter closer to the key."""

    CLOCKWISE = "clockwise", "clockwise"
    ANTICLOCKWISE = "anticlockwise", "anticlockwise"


class Cutter(models.Model):
    """A cutting wheel the shop owns, or a mill: its flat the diameter, its angle 0; lengths in millimetres."""

    name = models.CharField(max_length=40, unique=True)
    flat = models.FloatField(help_text="mm")
    angle = models.FloatField(help_text="included, degrees")

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name

    @property
    def is_mill(self) -> bool:
        """Whether it mills tracks in a key's side instead of cutting its edge."""
        return self.angle <= 0

    @classmethod
    def wheels(cls) -> models.QuerySet[Cutter]:
        """Those that cut a key's edge."""
        return cls.objects.filter(angle__gt=0)


class Machine(models.Model):
    """A machine: how to reach it, how it clamps, and how far it can be trusted."""

    name = models.CharField(max_length=60, unique=True)
    driver = models.CharField(max_length=8, choices=DriverKind, default=DriverKind.BENCH)
    host = models.CharField(max_length=60, default="127.0.0.1")
    port = models.PositiveIntegerField(default=8765)
    cutters = models.ManyToManyField(Cutter, blank=True)
    fitted = models.ForeignKey(Cutter, models.SET_NULL, null=True, blank=True, related_name="fitted_to")
    sd_each = models.FloatField(default=0.006, help_text="scatter of one cut, mm")
    sd_seat = models.FloatField(default=0.008, help_text="scatter of one clamping, mm")
    caliper_sd = models.FloatField(default=0.010, help_text="one reading of its caliper, mm")
    note = models.CharField(max_length=200, blank=True)
    kind = models.CharField(max_length=9, choices=MachineKind, default=MachineKind.CODE)
    depth_step = models.FloatField(default=0.01, help_text="smallest depth adjustment, mm")
    space_step = models.FloatField(default=0.01, help_text="smallest adjustment along the blade, mm")
    screw_lead = models.FloatField(null=True, blank=True, help_text="mm a turn of the depth screw; none if by number")
    depth_dial = models.FloatField(null=True, blank=True, help_text="mm a division; none without a dial")
    space_dial = models.FloatField(null=True, blank=True, help_text="mm a division; none without a dial")
    closer = models.CharField(max_length=13, choices=Closer, blank=True)
    space_axis = models.CharField(max_length=2, default="X", help_text="moves along the blade")
    depth_axis = models.CharField(max_length=2, default="Z", help_text="makes the depth")

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name


class Clamp(models.Model):
    """A clamp or adapter put in the place of the machine's own jaw; it may change which axis does what."""

    machine = models.ForeignKey(Machine, models.CASCADE, related_name="clamps")
    name = models.CharField(max_length=40)
    space_axis = models.CharField(max_length=2, default="X", help_text="moves from space to space")
    depth_axis = models.CharField(max_length=2, default="Z", help_text="makes the depth")
    note = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["machine", "name"], name="one_clamp_of_each_name")]

    def __str__(self) -> str:
        return self.name


class Follower(models.Model):
    """What traces the pattern on a duplicator; a mill's tracer has its diameter as flat and no angle."""

    machine = models.ForeignKey(Machine, models.CASCADE, related_name="followers")
    name = models.CharField(max_length=40)
    flat = models.FloatField(help_text="mm")
    angle = models.FloatField(help_text="included, degrees")
    is_fitted = models.BooleanField(default=False)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["machine", "name"], name="one_follower_of_each_name")]

    def __str__(self) -> str:
        return self.name


class JawSide(models.Model):
    """A slot of a machine's jaw, or a face of another clamp, and how deep a blank sits in it."""

    machine = models.ForeignKey(Machine, models.CASCADE, related_name="jaw_sides")
    clamp = models.ForeignKey(
        Clamp, models.CASCADE, null=True, blank=True, related_name="faces", help_text="none is the machine's own jaw"
    )
    name = models.CharField(max_length=10)
    slot_depth = models.FloatField(help_text="mm")

    class Meta:
        ordering = ["-slot_depth"]

    def __str__(self) -> str:
        return f"side {self.name}" if self.clamp_id is None else f"{self.clamp}, face {self.name}"

    @classmethod
    def cutting_sides(cls) -> models.QuerySet[JawSide]:
        """The sides a key can be cut in from here: where space and depth are the machine's usual axes."""
        usual = models.Q(
            clamp__space_axis=models.F("machine__space_axis"), clamp__depth_axis=models.F("machine__depth_axis")
        )
        return cls.objects.filter(models.Q(clamp=None) | usual).select_related("machine", "clamp")


class MachineOffset(models.Model):
    """What is added to every command so that this machine cuts true, for one way of gauging.

    The row without a side or family is the machine's own; a side's and a family's come on top of it.
    """

    machine = models.ForeignKey(Machine, models.CASCADE, related_name="offsets")
    gauge = models.CharField(max_length=8, choices=[("shoulder", "Shoulder"), ("tip", "Tip")])
    jaw_side = models.ForeignKey(JawSide, models.CASCADE, null=True, blank=True, related_name="offsets")
    family_record = models.ForeignKey("library.FamilyRecord", models.CASCADE, null=True, blank=True, related_name="+")
    value = models.FloatField(default=0.0, help_text="added to depth values, mm")
    space = models.FloatField(default=0.0, help_text="added to positions, mm")
    maker_value = models.FloatField(default=0.0, help_text="the maker's own figure, mm")
    maker_space = models.FloatField(default=0.0, help_text="the maker's own figure, mm")
    why = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["gauge", "jaw_side", "family_record"]
        constraints = [
            models.UniqueConstraint(
                models.F("machine"),
                models.F("gauge"),
                Coalesce("jaw_side", 0),
                Coalesce("family_record", 0),
                name="one_offset_of_each_sort",
            )
        ]

    def __str__(self) -> str:
        return " ".join(filter(None, [self.gauge, str(self.jaw_side or ""), str(self.family_record or "")]))


class Trim(models.Model):
    """A machine measured by keys of known target, from the test bitting to what was adjusted."""

    machine = models.ForeignKey(Machine, models.CASCADE, related_name="trims")
    gauge = models.CharField(max_length=8, choices=[("shoulder", "Shoulder"), ("tip", "Tip")])
    family_record = models.ForeignKey("library.FamilyRecord", models.PROTECT, related_name="+")
    track = models.CharField(max_length=120)
    steps = models.JSONField(help_text="the test bitting, family order")
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
    SWAPPED = "swapped", "put another of the cutters on"
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
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-at", "-id"]


class TouchTry(models.Model):
    """What two like blanks showed of follower against wheel, and how far the wheel was moved then."""

    machine = models.ForeignKey(Machine, models.CASCADE, related_name="touches")
    showed = models.CharField(max_length=7, choices=[(mark.value, mark.value) for mark in Mark])
    moved = models.FloatField(help_text="mm, closer is positive")
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


class RunState(models.TextChoices):
    """Where a run stands. Retired values stay reserved."""

    PLANNED = "planned", "Not sent yet"
    LOADED = "loaded", "Sent, waiting to be clamped"
    CLAMPED = "clamped", "Clamped, ready to start"
    CUTTING = "cutting", "Cutting"
    HELD = "held", "Held"
    TURN = "turn", "Turn the key over"
    STALLED = "stalled", "Stalled"
    STOPPED = "stopped", "Stopped"
    LOST = "lost", "The machine has forgotten it"
    FINISHED = "finished", "Finished"


class Run(models.Model):
    """One key on one machine, from the plan sent to the last cut."""

    set_up = models.ForeignKey("bench.SetUp", models.CASCADE, related_name="runs")
    machine = models.ForeignKey(Machine, models.PROTECT, related_name="runs")
    job = models.CharField(max_length=60, unique=True)
    key_number = models.PositiveIntegerField(default=1)
    touches_up = models.ForeignKey("self", models.SET_NULL, null=True, blank=True)
    state = models.CharField(max_length=10, choices=RunState, default=RunState.PLANNED)
    cuts = models.JSONField(help_text="as commanded, mm: side, position, value")
    boot = models.CharField(max_length=20, blank=True)
    last_event = models.PositiveIntegerField(default=0)
    done = models.PositiveIntegerField(default=0)
    blank_taken = models.BooleanField(default=False)
    created_at = models.DateTimeField(auto_now_add=True)
    finished_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["created_at", "id"]

    def __str__(self) -> str:
        return self.job


class RunEvent(models.Model):
    """One numbered event of a machine's log, kept once however often it is asked for."""

    run = models.ForeignKey(Run, models.CASCADE, related_name="events")
    boot = models.CharField(max_length=20)
    number = models.PositiveIntegerField()
    kind = models.CharField(max_length=20)
    data = models.JSONField(default=dict)
    seen_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["run", "boot", "number"], name="event_counted_once")]
