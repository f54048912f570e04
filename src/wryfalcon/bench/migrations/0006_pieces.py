"""Each run of old becomes a piece: one key made for a tag, numbered once, further tries beside it.

Every key is kept under its own number, with its proof, measurements and trials. A key that was lost
and sent again was two runs of one blank: the first is given up, the second has the blank.
"""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


def make_pieces(apps, schema_editor):
    """One piece for each run, of the same id, so that all that hangs on it stays where it is."""
    Run, RunEvent = apps.get_model("machines", "Run"), apps.get_model("machines", "RunEvent")
    Piece, LineEvent = apps.get_model("bench", "Piece"), apps.get_model("machines", "LineEvent")
    of_key, touched = {}, {}
    for run in Run.objects.select_related("set_up").order_by("id"):
        key = (run.set_up.tag_id, run.key_number)
        fields = {
            "id": run.pk, "tag_id": run.set_up.tag_id, "settlement_id": run.set_up.settlement_id,
            "set_up_id": run.set_up_id, "machine_id": run.machine_id, "job": run.job, "key_number": run.key_number,
            "state": run.state, "cuts": _with_spaces(run), "done": run.done, "blank_taken": run.blank_taken,
            "began_at": run.created_at if run.done or run.blank_taken else None, "finished_at": run.finished_at,
        }  # fmt: skip
        if run.touches_up_id is not None:
            onto = run.touches_up_id
            while onto in touched:  # a key touched up twice from its first state: the second time onto the first's
                onto = touched[onto]
            touched[onto] = run.pk
            fields |= {"onto_id": onto, "try_number": Piece.objects.get(pk=onto).try_number, "blank_taken": False}
        else:
            earlier = of_key.setdefault(key, [])
            fields["try_number"] = len(earlier) + 1
            if earlier and earlier[-1].state == "lost":
                lost = earlier[-1]
                lost.state, lost.why_ended, lost.ended_at = "abandoned", f"sent again as {run.job}", run.created_at
                lost.blank_taken = False
                lost.save()
                earlier.pop()
                fields["try_number"] = len(earlier) + 1
        piece = Piece.objects.create(**fields)
        Piece.objects.filter(pk=run.pk).update(created_at=run.created_at)
        if run.touches_up_id is None:
            of_key[key].append(piece)
    LineEvent.objects.bulk_create(
        (
            LineEvent(
                machine_id=event.run.machine_id, log=event.boot[:40], number=event.number, kind=event.kind,
                job=event.run.job, data=event.data, at=None,
            )
            for event in RunEvent.objects.select_related("run").order_by("id")
        ),
        ignore_conflicts=True,
    )  # fmt: skip


def _with_spaces(run):
    """Each cut with the space it makes, which the card knows."""
    spaces = {(c["side"], round(c["position"], 6)): c["space"] for c in run.set_up.commands}
    return [
        {"side": cut["side"], "space": spaces.get((cut["side"], round(cut["position"], 6)), place), "position": cut["position"],
         "value": cut["value"]}
        for place, cut in enumerate(run.cuts, start=1)
    ]  # fmt: skip


def point_at_piece(name, model, **options):
    """Let what pointed at a run point at the piece of the same id."""
    kind = models.OneToOneField if options.pop("one", False) else models.ForeignKey
    return [
        migrations.AlterField(
            model_name=model, name="run",
            field=kind(on_delete=django.db.models.deletion.CASCADE, related_name=name, to="bench.piece"),
        ),
        migrations.RenameField(model_name=model, old_name="run", new_name="piece"),
    ]  # fmt: skip


class Migration(migrations.Migration):

    dependencies = [
        ("bench", "0005_codes"),
        ("machines", "0004_lines"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name="Piece",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("job", models.CharField(max_length=60, unique=True)),
                ("key_number", models.PositiveIntegerField(default=1)),
                ("try_number", models.PositiveIntegerField(default=1)),
                ("state", models.CharField(choices=[("planned", "ready to be sent"), ("loaded", "at the machine, to be clamped"), ("clamped", "clamped, ready to start"), ("cutting", "cutting"), ("held", "held"), ("turn", "to be turned over"), ("stalled", "stalled"), ("stopped", "stopped"), ("aside", "taken out of the machine"), ("lost", "forgotten by its machine"), ("unsure", "not known: look at the key"), ("finished", "made"), ("spoilt", "spoilt"), ("abandoned", "given up before it was cut")], db_index=True, default="planned", max_length=10)),
                ("cuts", models.JSONField(default=list, help_text="as commanded, mm: side, space, position, value")),
                ("done", models.PositiveIntegerField(default=0, help_text="cuts its machine has reported")),
                ("blank_taken", models.BooleanField(default=False)),
                ("why_ended", models.CharField(blank=True, max_length=200)),
                ("created_at", models.DateTimeField(auto_now_add=True)),
                ("began_at", models.DateTimeField(help_text="when metal was first touched, by the machine's clock", null=True)),
                ("finished_at", models.DateTimeField(help_text="by the machine's clock", null=True)),
                ("ended_at", models.DateTimeField(null=True)),
                ("machine", models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name="pieces", to="machines.machine")),
                ("onto", models.ForeignKey(null=True, on_delete=django.db.models.deletion.RESTRICT, related_name="touched_up", to="bench.piece")),
                ("set_up", models.ForeignKey(null=True, on_delete=django.db.models.deletion.RESTRICT, related_name="pieces", to="bench.setup")),
                ("settlement", models.ForeignKey(null=True, on_delete=django.db.models.deletion.RESTRICT, related_name="pieces", to="bench.settlement")),
                ("tag", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="pieces", to="bench.tag")),
            ],
            options={"ordering": ["created_at", "id"]},
        ),
        migrations.RunPython(make_pieces, migrations.RunPython.noop),
        migrations.RemoveConstraint(model_name="trial", name="one_trial_of_each_sort"),
        *point_at_piece("proof", "proof", one=True),
        *point_at_piece("proof_values", "proofvalue"),
        *point_at_piece("trials", "trial"),
        migrations.AlterField(
            model_name="tag",
            name="made_by",
            field=models.ForeignKey(
                blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name="returns", to="bench.piece"
            ),
        ),
        migrations.AddConstraint(
            model_name="trial",
            constraint=models.UniqueConstraint(fields=("piece", "lock", "way_up", "worked"), name="one_trial_of_each_sort"),
        ),
        migrations.AddConstraint(
            model_name="piece",
            constraint=models.UniqueConstraint(condition=models.Q(("onto", None), models.Q(("state", "abandoned"), _negated=True)), fields=("tag", "key_number", "try_number"), name="each_try_counted_once"),
        ),
        migrations.AddConstraint(
            model_name="piece",
            constraint=models.UniqueConstraint(condition=models.Q(("state", "abandoned"), _negated=True), fields=("onto",), name="one_touch_up_of_each_piece"),
        ),
    ]
