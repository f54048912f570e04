"""Commands name their clamping and track, where they had one text for both: "A turned" is track A, clamped again."""

from django.db import migrations, models

TURNED = " turned"


def renamed(cuts):
    """Commands as they are kept from now on; where a machine was told of them, by the names that it was told."""
    sides = list(dict.fromkeys(cut["side"] for cut in cuts if "side" in cut))
    base = list(dict.fromkeys(side.removesuffix(TURNED) for side in sides))
    found = []
    for cut in cuts:
        if "side" not in cut:
            found.append(cut)
            continue
        side = cut["side"]
        track = cut.get("track", side.removesuffix(TURNED))
        clamping = base.index(track) + 1 + (len(base) if side.endswith(TURNED) else 0)
        left = {name: value for name, value in cut.items() if name != "side"}
        found.append({**left, "clamping": clamping, "track": track, "place": f"{side} {cut.get('space', '')}".strip()})
    return found


def rename(apps, schema_editor):
    for name, field in (("SetUp", "commands"), ("Piece", "cuts")):
        for row in apps.get_model("bench", name).objects.only(field).iterator():
            setattr(row, field, renamed(getattr(row, field)))
            row.save(update_fields=[field])
    for order in apps.get_model("machines", "Order").objects.filter(command="load").iterator():
        if order.data and order.data.get("cuts"):
            order.data["cuts"] = renamed(order.data["cuts"])
            order.data["axes"] = [order.machine.space_axis, order.machine.depth_axis]
            order.save(update_fields=["data"])


class Migration(migrations.Migration):

    dependencies = [
        ("bench", "0012_compared_and_marked"),
        ("machines", "0005_pieces"),
    ]

    operations = [
        migrations.AlterField(
            model_name="setup",
            name="commands",
            field=models.JSONField(
                default=list, help_text="clamping, track, space, place; mm or degrees: position, value, offsets put in"
            ),
        ),
        migrations.AlterField(
            model_name="piece",
            name="cuts",
            field=models.JSONField(default=list, help_text="as commanded, see the commands of a card"),
        ),
        migrations.AlterField(
            model_name="setup",
            name="style",
            field=models.CharField(default="plunged", help_text="of the path, as its kind of key names it", max_length=20),
        ),
        migrations.RunPython(rename, migrations.RunPython.noop),
    ]
