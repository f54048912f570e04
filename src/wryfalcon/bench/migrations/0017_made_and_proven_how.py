"""Keys made before it was kept how: by plan file, by hand for a trial sheet; what their verdicts rest on; given out."""

import json

from django.db import migrations
from django.db.models import Exists, OuterRef


def _values(piece):
    """What a key of a trial sheet was cut to, by track: its commands, without offsets, in the family's unit."""
    document = json.loads(piece.tag.family_record.document)
    millimetres = 25.4 if document["unit"] == "in" else 1.0
    values = {}
    for cut in sorted(piece.cuts, key=lambda cut: cut["space"]):
        values.setdefault(cut["track"], []).append(cut["value"] / millimetres)
    return values or None


def say_how(apps, schema_editor):
    pieces, proofs = apps.get_model("bench", "Piece").objects, apps.get_model("bench", "Proof").objects
    pieces.filter(machine__driver="file").update(made_how="plan-file")
    for piece in pieces.filter(machine=None, set_up=None):
        piece.made_how, piece.values = "filed", _values(piece)
        piece.save()
    for entry in apps.get_model("bench", "SheetEntry").objects.filter(outcome="turns", withdrawn=False):
        entry.piece = pieces.filter(tag=entry.sheet.tag, machine=None, set_up=None).order_by("id").last()
        entry.save()
    trials = apps.get_model("bench", "Trial").objects.filter(piece=OuterRef("piece"))
    proofs.filter(Exists(trials)).update(proven_by="both")
    for tag in apps.get_model("bench", "Tag").objects.filter(state="closed", closed_at__isnull=False):
        pieces.filter(tag=tag, state="finished", proof__passed=True).update(given_at=tag.closed_at)


class Migration(migrations.Migration):

    dependencies = [("bench", "0016_pieces_however_made")]

    operations = [migrations.RunPython(say_how, migrations.RunPython.noop, elidable=False)]
