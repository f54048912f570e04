"""Sources of every kind: looks that were entered together, labels, depth keys, master pins."""

import django.db.models.deletion
from django.db import migrations, models


def one_look_each(apps, schema_editor):
    """Every value typed so far was a look of its own, to be taken back alone."""
    apps.get_model("bench", "Sighting").objects.update(look=models.F("id"))


class Migration(migrations.Migration):

    dependencies = [
        ('bench', '0003_sources'),
    ]

    operations = [
        migrations.AlterModelOptions(
            name='source',
            options={'ordering': ['id']},
        ),
        migrations.AddField(
            model_name='overruling',
            name='filled',
            field=models.BooleanField(default=False, help_text='nothing was seen of this cut; it was filled in'),
        ),
        migrations.AddField(
            model_name='sighting',
            name='depth',
            field=models.CharField(blank=True, help_text="of the depth key, or of the blank's cut", max_length=3),
        ),
        migrations.AddField(
            model_name='sighting',
            name='labels',
            field=models.JSONField(default=list, help_text='the depth stated, or the depths it lies between'),
        ),
        migrations.AddField(
            model_name='sighting',
            name='look',
            field=models.PositiveIntegerField(default=0, help_text='sightings entered together share it'),
        ),
        migrations.AddField(
            model_name='sighting',
            name='master',
            field=models.FloatField(help_text="the master pin's length, family unit", null=True),
        ),
        migrations.AddField(
            model_name='sighting',
            name='seen',
            field=models.CharField(blank=True, choices=[('flush', 'flush'), ('proud', 'not flush'), ('unsure', 'unsure')], max_length=6),
        ),
        migrations.AddField(
            model_name='source',
            name='is_on',
            field=models.BooleanField(default=True),
        ),
        migrations.AddField(
            model_name='source',
            name='kind',
            field=models.CharField(choices=[('calipers', 'Calipers on a key'), ('probe', 'A probe on a key'), ('machine', "A machine's decode"), ('depth-keys', 'Depth keys in the lock'), ('parts', 'Stamped parts'), ('pins', 'Bottom pins measured'), ('grid', "A reading tool's grid"), ('stages', 'A blank cut down')], default='calipers', max_length=10),
        ),
        migrations.AddField(
            model_name='source',
            name='name',
            field=models.CharField(blank=True, help_text='which key or lock, where there are several', max_length=40),
        ),
        migrations.AddField(
            model_name='source',
            name='odd_first',
            field=models.BooleanField(default=False, help_text='grid: odd cuts first, then even, as the tool is read'),
        ),
        migrations.AddField(
            model_name='source',
            name='other_key',
            field=models.BooleanField(default=False, help_text='pins: the key that lifts the master pins'),
        ),
        migrations.AddField(
            model_name='source',
            name='plug',
            field=models.FloatField(help_text='pins: what root and pin add up to, family unit', null=True),
        ),
        migrations.AddField(
            model_name='source',
            name='removed',
            field=models.BooleanField(default=False),
        ),
        migrations.AlterField(
            model_name='sighting',
            name='source',
            field=models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='sightings', to='bench.source'),
        ),
        migrations.AlterField(
            model_name='sighting',
            name='typed',
            field=models.CharField(blank=True, max_length=24),
        ),
        migrations.AlterField(
            model_name='sighting',
            name='value',
            field=models.FloatField(help_text="family unit; a pin's length", null=True),
        ),
        migrations.AlterField(
            model_name='source',
            name='tag',
            field=models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='sources', to='bench.tag'),
        ),
        migrations.AlterField(
            model_name='tag',
            name='on_bench',
            field=models.CharField(choices=[('worn-key', 'a worn key'), ('good-key', 'a good key'), ('returned-key', 'a key brought back'), ('lock', 'a lock and no key'), ('lock-parts', 'a lock in pieces'), ('part-lock', 'only part of the locks'), ('code', 'a bitting or a code'), ('record', 'a record of an earlier key')], default='worn-key', max_length=14),
        ),
        migrations.RunPython(one_look_each, migrations.RunPython.noop),
    ]
