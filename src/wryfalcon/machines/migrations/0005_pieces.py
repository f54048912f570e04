"""Runs and their events are pieces and entries of lines now."""

from django.db import migrations


class Migration(migrations.Migration):

    dependencies = [
        ("machines", "0004_lines"),
        ("bench", "0006_pieces"),
    ]

    operations = [
        migrations.DeleteModel(name="RunEvent"),
        migrations.DeleteModel(name="Run"),
    ]
