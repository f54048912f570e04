"""The log names records: what it held of bittings, codes, customers and what people wrote is taken out of it.

An entry stays when its tag goes, and knows the tag's number.
"""

import django.db.models.deletion
from django.db import migrations, models

HELD = (
    "bitting", "typed", "label", "labels", "key", "title", "authority", "before", "why", "reason", "note", "people",
    "cut_to", "flush", "lock",
)  # fmt: skip
"""What an entry of old may hold that a log must not."""


def take_out(apps, schema_editor):
    """Take out what is held by value; codes that were seen are named by record where they are still found."""
    AuditEntry, Code = apps.get_model("records", "AuditEntry"), apps.get_model("codes", "Code")
    for entry in AuditEntry.objects.select_related("tag").iterator(chunk_size=500):
        data = {name: value for name, value in entry.data.items() if name not in HELD}
        if isinstance(data.get("source"), str):  # its title may be a code
            del data["source"]
        data |= _named(apps, entry)
        if entry.event == "codes-seen":
            named = [str(each) for each in data.get("codes", [])]
            data["tags"] = [each.rpartition("tag ")[2] for each in named if ", tag " in each]
            texts = {each.split(", ")[0] for each in named if ", tag " not in each}
            data["codes"] = list(Code.objects.filter(code__in=texts).order_by("pk").values_list("pk", flat=True)[:20])
            data["what"] = _without_what_was_typed(str(data.get("what", "")))
        if entry.event in ("offsets-changed", "trim-measured"):
            data |= {name: entry.data[name] for name in ("before",) if isinstance(entry.data.get(name), list)}
        entry.data, entry.tag_number = data, entry.tag.number if entry.tag else None
        entry.save(update_fields=["data", "tag_number"])


def _named(apps, entry):
    """The record that an entry of old speaks of, where it can be told by what it held."""
    Settlement, Overruling = apps.get_model("bench", "Settlement"), apps.get_model("bench", "Overruling")
    if entry.event in ("settled", "read-back") and "bitting" in entry.data:
        kept = Settlement.objects.filter(tag=entry.tag_id).order_by("-pk")
        found = next((each for each in kept if each.bitting == entry.data["bitting"]), None)
        return {"settlement": found.pk} if found else {}
    if entry.event == "overruled" and "label" in entry.data:
        where = {name: entry.data.get(name) for name in ("track", "space", "label")}
        found = Overruling.objects.filter(tag=entry.tag_id, **where).order_by("-pk").first()
        return {"overruling": found.pk} if found else {}
    return {}


def _without_what_was_typed(what):
    for beginning, plainly in (("the code ", "by name"), ("the bitting ", "by bitting"), ("codes that fit tag", "that fit a tag")):
        if what.startswith(beginning):
            return plainly
    return what


class Migration(migrations.Migration):

    dependencies = [
        ("records", "0003_codes"),
        ("bench", "0006_pieces"),
        ("codes", "0001_initial"),
    ]

    operations = [
        migrations.AddField(
            model_name="auditentry",
            name="tag_number",
            field=models.PositiveIntegerField(help_text="as on the tag, which may go", null=True),
        ),
        migrations.AddField(
            model_name="auditentry",
            name="once",
            field=models.CharField(help_text="what is written down once only", max_length=60, null=True, unique=True),
        ),
        migrations.AlterField(
            model_name="auditentry",
            name="tag",
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="audit", to="bench.tag"),
        ),
        migrations.AlterField(
            model_name="auditentry",
            name="data",
            field=models.JSONField(default=dict, help_text="names records; no bitting, code or customer stands in it"),
        ),
        migrations.RunPython(take_out, migrations.RunPython.noop),
    ]
