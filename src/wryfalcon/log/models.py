"""What was done by whom, kept. Its table stays among those of records, where it was made."""

from __future__ import annotations

from django.conf import settings
from django.db import models


class Event(models.TextChoices):
    """What an audit entry says happened. Values are never reused."""

    TAKEN_IN = "taken-in", "taken in"
    CHANGED = "changed", "changed"
    DECLINED = "declined", "not one for us"
    SOURCE_ADDED = "source-added", "began a source"
    SOURCE_CHANGED = "source-changed", "changed a source"
    MEASURED = "measured", "measured"
    LOOKED = "looked", "looked"
    READING_WITHDRAWN = "reading-withdrawn", "reading taken back"
    OVERRULED = "overruled", "overruled a cut"
    OVERRULE_WITHDRAWN = "overrule-withdrawn", "took an overruling back"
    SETTLED = "settled", "settled the bitting"
    READ_BACK = "read-back", "read the bitting back"
    SET_UP = "set-up", "set the machine up"
    PIECE_SENT = "run-started", "sent a key to the machine"
    PIECE_MADE = "run-finished", "key made"
    PIECE_BEGUN = "piece-begun", "began a key by hand"
    STAGE_FILED = "stage-filed", "filed a step and looked"
    STAGE_TAKEN_BACK = "stage-taken-back", "took a look at a step back"
    PIECE_DEBURRED = "piece-deburred", "deburred a key"
    VERDICT_LIFTED = "verdict-lifted", "verdict lifted: something new is known of the key"
    PIECE_SPOILT = "piece-spoilt", "key spoilt"
    PIECE_GIVEN_UP = "piece-given-up", "key given up, its blank still good"
    PIECE_TAKEN_AS_MADE = "piece-taken-as-made", "looked at a key and took it as made"
    PROVED = "proved", "measured the new key"
    TRIED = "tried", "tried in the lock"
    HANDED_OVER = "handed-over", "handed over"
    FAMILY_IMPORTED = "family-imported", "family brought in"
    EDITION_IN_FORCE = "edition-in-force", "family's edition put in force"
    EDITION_DISCARDED = "edition-discarded", "family's edition thrown away"
    EDITION_TAKEN = "edition-taken", "went over to the edition in force"
    SERIES_IMPORTED = "series-imported", "code series brought in"
    SHEET_CHANGED = "sheet-changed", "changed the trial sheet"
    SHEET_NOTED = "sheet-noted", "noted on the trial sheet"
    SHEET_WITHDRAWN = "sheet-withdrawn", "took a line of the trial sheet back"
    TRIM_BEGUN = "trim-begun", "began a trim"
    TRIM_MEASURED = "trim-measured", "measured a test key"
    TRIM_CLOSED = "trim-closed", "closed a trim"
    OFFSETS_CHANGED = "offsets-changed", "changed a machine's offsets"
    FACE_TOUCHED = "face-touched", "touched a clamp's face off"
    MACHINE_WORKED = "machine-worked", "worked on a machine"
    HAND_STUDIED = "hand-studied", "studied hands and calipers"
    SERIES_OFFERED = "series-offered", "code series offered"
    SERIES_DISCARDED = "series-discarded", "code series thrown away"
    CODES_SEEN = "codes-seen", "asked to see codes"
    BITTING_SEEN = "bitting-seen", "looked at the bitting"
    REMADE = "remade", "made again from a record"
    TOOLS_MADE = "tools-made", "cut keys for the shop's own use"
    TOOL_HANDED_ON = "tool-handed-on", "a tool of the shop's changed hands"
    TOOL_DESTROYED = "tool-destroyed", "destroyed a tool of the shop's"
    GUIDE_BROUGHT_IN = "guide-brought-in", "fitting guide brought in"
    GUIDE_CHANGED = "guide-changed", "changed a row of the guide"


class AuditEntry(models.Model):
    """One change of state, or one look at a bitting; it stays when what it speaks of goes."""

    event = models.CharField(max_length=24, choices=Event)
    actor = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True, related_name="+")
    tag = models.ForeignKey("bench.Tag", models.SET_NULL, null=True, related_name="audit")
    tag_number = models.PositiveIntegerField(null=True, help_text="as on the tag, which may go")
    data = models.JSONField(default=dict, help_text="names records; no bitting, code or customer stands in it")
    once = models.CharField(max_length=60, null=True, unique=True, help_text="what is written down once only")  # noqa: DJ001
    at = models.DateTimeField(auto_now_add=True, db_index=True)

    class Meta:
        app_label = "records"
        ordering = ["-at", "-id"]


class EntryTaken(models.Model):
    """A form that was taken: the same sent again is not taken twice, and goes where the first went."""

    digest = models.CharField(max_length=64, unique=True)
    location = models.CharField(max_length=500, blank=True, help_text="the page that the first was answered with")
    at = models.DateTimeField(auto_now_add=True, db_index=True)

    class Meta:
        app_label = "records"

    def __str__(self) -> str:
        return self.digest[:8]
