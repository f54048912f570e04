"""The machines of the shop and what goes on them: cutters, followers, clamps, offsets."""

from __future__ import annotations

from django.db import models
from django.db.models.functions import Coalesce

from keycore.kind import Surface
from keycore.tools import TOOLS, Mill, Tool, Wheel


class DriverKind(models.TextChoices):
    """How the application reaches a machine."""

    BENCH = "bench", "Code machine on the line"
    FILE = "file", "Cut plan as a file"
    NONE = "none", "Not driven from here"


class MachineKind(models.TextChoices):
    """How a machine works, which decides how it is kept true."""

    CODE = "code", "Code machine"
    CODE_HAND = "code-hand", "Code machine run by hand"
    TRACING = "tracing", "Tracing duplicator"
    SIDE_MILL = "side-mill", "Side-milling duplicator"


TRACES = (MachineKind.TRACING, MachineKind.SIDE_MILL)
"""The kinds that follow a pattern key."""


TRACES_SURFACE = {
    Surface.EDGE: MachineKind.TRACING, Surface.GROOVE: MachineKind.SIDE_MILL, Surface.HOLE: MachineKind.SIDE_MILL,
}  # fmt: skip
"""Which of them follows which sort of cut."""


class Closer(models.TextChoices):
    """Which way an adjusting screw or dial brings the cutter closer to the key."""

    CLOCKWISE = "clockwise", "clockwise"
    ANTICLOCKWISE = "anticlockwise", "anticlockwise"


class Cutter(models.Model):
    """A cutting wheel the shop owns, or a mill: its flat the diameter, its angle 0; lengths in millimetres."""

    name = models.CharField(max_length=40, unique=True)
    flat = models.FloatField(help_text="mm")
    angle = models.FloatField(help_text="included, degrees")
    tool = models.CharField(
        max_length=10, choices=[(tool.name, tool.name) for tool in TOOLS], default=Wheel.name, help_text="what it is"
    )

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name

    @property
    def is_mill(self) -> bool:
        """Whether it mills tracks in a key's side instead of cutting its edge."""
        return self.tool == Mill.name

    @classmethod
    def wheels(cls) -> models.QuerySet[Cutter]:
        """Those that cut a key's edge."""
        return cls.that_are(Wheel)

    @classmethod
    def that_are(cls, tool: type[Tool]) -> models.QuerySet[Cutter]:
        """Those that are such a tool."""
        return cls.objects.filter(tool=tool.name)


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
    one_clamp = models.BooleanField(default=False, help_text="pattern and new key take turns in it")

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name

    @property
    def has_line(self) -> bool:
        """Whether anything can be told to it: a machine worked by dials has none."""
        return self.driver != DriverKind.NONE

    @property
    def is_worked_by_dials(self) -> bool:
        """Whether a hand can cut by figures on it: it is made for that, or has a dial for place and one for depth."""
        has_both = self.depth_dial is not None and self.space_dial is not None
        return self.kind == MachineKind.CODE_HAND or (has_both and self.kind not in TRACES)

    @property
    def is_simulated(self) -> bool:
        """Whether it is the stand-in that ships with the application."""
        return self.driver == DriverKind.BENCH


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


TURNING_AXES = frozenset("ABC")
ACROSS_AXES = frozenset("YV")
"""The letters of axes that turn (ISO 841, from memory)."""


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

    @property
    def turns(self) -> bool:
        """Whether an axis of its clamp turns: no offset of the machine's own slides says anything of that."""
        clamp = self.clamp
        return clamp is not None and bool({clamp.space_axis, clamp.depth_axis} & TURNING_AXES)

    @property
    def cuts_across(self) -> bool:
        """Whether another axis than the machine's own makes the depth: its own depth offset says nothing of that."""
        clamp = self.clamp
        return clamp is not None and clamp.depth_axis in ACROSS_AXES


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

    @property
    def family_slug(self) -> str | None:
        """The family it is for, whichever edition was in force when it was set; None for every family."""
        return self.family_record.slug if self.family_record is not None else None
