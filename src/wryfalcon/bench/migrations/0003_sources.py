"""Calipers become one kind of source among others; what was measured stays."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("bench", "0002_initial")]

    operations = [
        migrations.RemoveConstraint("caliperreading", "one_caliper_reading_per_track"),
        migrations.RenameModel("CaliperReading", "Source"),
        migrations.RenameModel("CaliperValue", "Sighting"),
        migrations.RenameField("sighting", "reading", "source"),
    ]
