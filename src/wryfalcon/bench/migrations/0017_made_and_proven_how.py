"""Keys made before it was kept how: by plan file, by hand for a trial sheet; what their verdicts rest on; given out."""

from django.db import migrations
from django.db.models import Exists, OuterRef


def say_how(apps, schema_editor):
    pieces, proofs = apps.get_model("bench", "Piece").objects, apps.get_model("bench", "Proof").objects
    pieces.filter(machine__driver="file").update(made_how="plan-file")
    pieces.filter(machine=None, set_up=None).update(made_how="filed")
    trials = apps.get_model("bench", "Trial").objects.filter(piece=OuterRef("piece"))
    proofs.filter(Exists(trials)).update(proven_by="both")
    for tag in apps.get_model("bench", "Tag").objects.filter(state="closed", closed_at__isnull=False):
        pieces.filter(tag=tag, state="finished", proof__passed=True).update(given_at=tag.closed_at)


class Migration(migrations.Migration):

    dependencies = [("bench", "0016_pieces_however_made")]

    operations = [migrations.RunPython(say_how, migrations.RunPython.noop, elidable=False)]
