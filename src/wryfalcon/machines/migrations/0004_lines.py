"""Lines to machines: what was heard on them, what is asked, what cannot be so. Work may be told by a machine."""

import uuid

import django.db.models.deletion
import django.utils.timezone
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ("machines", "0003_book"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.AlterField(
            model_name="machinework",
            name="at",
            field=models.DateTimeField(default=django.utils.timezone.now),
        ),
        migrations.AlterField(
            model_name="machinework",
            name="by",
            field=models.ForeignKey(
                help_text="none is told by the machine", null=True, on_delete=django.db.models.deletion.PROTECT,
                related_name="+", to=settings.AUTH_USER_MODEL,
            ),
        ),
        migrations.CreateModel(
            name="Line",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("log", models.CharField(blank=True, help_text="the machine's name for its log; another is a new one", max_length=40)),
                ("last_event", models.PositiveBigIntegerField(default=0, help_text="the newest entry recorded of that log")),
                ("begun_again", models.PositiveIntegerField(default=0, help_text="how often the log went back under the same name")),
                ("status", models.JSONField(help_text="as last told", null=True)),
                ("asked_at", models.DateTimeField(help_text="when the follower last tried", null=True)),
                ("heard_at", models.DateTimeField(help_text="when the machine last answered", null=True)),
                ("problem", models.CharField(blank=True, help_text="why it did not answer", max_length=200)),
                ("clock_off", models.FloatField(default=0.0, help_text="seconds that its clock is ahead of ours")),
                ("machine", models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name="line", to="machines.machine")),
            ],
        ),
        migrations.CreateModel(
            name="LineEvent",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("log", models.CharField(max_length=40)),
                ("number", models.PositiveBigIntegerField()),
                ("kind", models.CharField(max_length=20)),
                ("job", models.CharField(blank=True, db_index=True, max_length=60)),
                ("data", models.JSONField(default=dict)),
                ("at", models.DateTimeField(help_text="by the machine's own clock; entries of old have none", null=True)),
                ("seen_at", models.DateTimeField(auto_now_add=True)),
                ("machine", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="line_events", to="machines.machine")),
            ],
            options={"ordering": ["id"]},
        ),
        migrations.CreateModel(
            name="Misreport",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("job", models.CharField(blank=True, db_index=True, max_length=60)),
                ("says", models.CharField(max_length=300)),
                ("raw", models.TextField(blank=True, help_text="the beginning of what came")),
                ("times", models.PositiveIntegerField(default=1)),
                ("first_at", models.DateTimeField(auto_now_add=True)),
                ("last_at", models.DateTimeField(auto_now=True)),
                ("machine", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="misreports", to="machines.machine")),
                ("noted_by", models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name="+", to=settings.AUTH_USER_MODEL)),
            ],
            options={"ordering": ["-last_at"]},
        ),
        migrations.CreateModel(
            name="Order",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("key", models.UUIDField(default=uuid.uuid4, unique=True)),
                ("job", models.CharField(blank=True, db_index=True, help_text="the key it is about", max_length=60)),
                ("command", models.CharField(max_length=12)),
                ("data", models.JSONField(default=dict, help_text="what goes with it; empty once it is answered")),
                ("seen", models.PositiveBigIntegerField(help_text="the newest entry of the log that the press rests on", null=True)),
                ("log", models.CharField(blank=True, help_text="that log", max_length=40)),
                ("state", models.CharField(choices=[("asked", "not delivered yet"), ("sent", "sent, not answered yet"), ("acknowledged", "acknowledged"), ("refused", "refused"), ("overtaken", "overtaken by hold or stop"), ("expired", "not delivered in time")], db_index=True, default="asked", max_length=12)),
                ("answer", models.CharField(blank=True, help_text="why it was refused", max_length=300)),
                ("result", models.JSONField(null=True)),
                ("asked_at", models.DateTimeField(auto_now_add=True)),
                ("sent_at", models.DateTimeField(null=True)),
                ("answered_at", models.DateTimeField(null=True)),
                ("by", models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name="+", to=settings.AUTH_USER_MODEL)),
                ("machine", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="orders", to="machines.machine")),
            ],
            options={"ordering": ["id"]},
        ),
        migrations.AddConstraint(
            model_name="lineevent",
            constraint=models.UniqueConstraint(fields=("machine", "log", "number"), name="entry_recorded_once"),
        ),
    ]
