"""Cards keep what they rest on; of those made before it is known what their machines had seen by then."""

from datetime import timedelta

from django.db import migrations, models
from django.db.models import Max

MOVES = ("wheel", "swapped", "jaw", "jam", "service", "touched", "thumped")
A_MOMENT = timedelta(seconds=5)  # a wheel changed by ticking was noted just after


def note_what_was_seen(apps, schema_editor):
    """The last work on each card's machine before its checks."""
    SetUp, MachineWork = apps.get_model("bench", "SetUp"), apps.get_model("machines", "MachineWork")
    for card in SetUp.objects.iterator():
        by_then = (card.checked_at or card.at) + A_MOMENT
        before = MachineWork.objects.filter(machine_id=card.machine_id, what__in=MOVES, at__lte=by_then)
        card.work_seen = before.aggregate(last=Max("pk"))["last"] or 0
        card.save(update_fields=["work_seen"])


class Migration(migrations.Migration):
    """Two columns of the card, one of them filled."""

    dependencies = [("bench", "0006_pieces"), ("machines", "0005_pieces")]

    operations = [
        migrations.AddField("setup", "rests_on", models.JSONField(default=dict, help_text="digest of the family, shape of the cutter, jaw; as they were")),
        migrations.AddField("setup", "work_seen", models.PositiveIntegerField(default=0, help_text="the last work on the machine before the checks")),
        migrations.RunPython(note_what_was_seen, migrations.RunPython.noop),
    ]
