import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    replaces = [
        ('bench', '0001_initial'),
        ('bench', '0002_initial'),
    ]

    initial = True

    dependencies = [
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
        ('codes', '0001_squashed_0002_bad_bittings'),
        ('library', '0001_squashed_0004_cards'),
    ]

    operations = [
        migrations.CreateModel(
            name='Customer',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=80, unique=True)),
            ],
        ),
        migrations.CreateModel(
            name='Tag',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('number', models.PositiveIntegerField(unique=True)),
                ('title', models.CharField(max_length=120)),
                ('on_bench', models.CharField(choices=[('worn-key', 'a worn key'), ('good-key', 'a good key'), ('returned-key', 'a key brought back'), ('lock', 'a lock and no key'), ('lock-parts', 'a lock in pieces'), ('part-lock', 'only part of the locks'), ('code', 'a bitting or a code'), ('record', 'a record of an earlier key'), ('picture', 'a picture of a lock, for a quotation')], default='worn-key', max_length=14)),
                ('authority', models.CharField(blank=True, max_length=200)),
                ('stamped', models.CharField(blank=True, help_text='on the bow of the old key, word for word', max_length=80)),
                ('guide', models.JSONField(default=dict, help_text='what its row of the fitting guide says of making it: clamp, face, stop')),
                ('quantity', models.PositiveSmallIntegerField(default=1)),
                ('is_copied', models.BooleanField(default=False, help_text='its keys are copied from their pattern, not read first')),
                ('generation', models.PositiveSmallIntegerField(help_text='of the key in hand: 0 cut by its depths, 1 a copy of such a key, 2 a copy of a copy', null=True)),
                ('blade_lost_mm', models.FloatField(help_text="of the old key's height beside a blank's", null=True)),
                ('blade_lost_at', models.FloatField(help_text='where that was measured, 0 at the bow to 1 at the tip', null=True)),
                ('note', models.TextField(blank=True)),
                ('state', models.CharField(choices=[('open', 'open'), ('closed', 'handed over'), ('declined', 'not one for us')], db_index=True, default='open', max_length=8)),
                ('why_declined', models.CharField(blank=True, max_length=200)),
                ('taken_in_at', models.DateTimeField(auto_now_add=True)),
                ('closed_at', models.DateTimeField(blank=True, null=True)),
                ('blank', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='tags', to='library.blank')),
                ('brought_back_from', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='returns', to='bench.tag')),
                ('family_record', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='tags', to='library.familyrecord')),
                ('customer', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='tags', to='bench.customer')),
            ],
            options={
                'ordering': ['-number'],
            },
        ),
        migrations.CreateModel(
            name='Settlement',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('bitting', models.JSONField(help_text='labels by track, family order: what the key is')),
                ('chance', models.FloatField(help_text='of the whole bitting; null when overruled or given', null=True)),
                ('intent', models.CharField(choices=[('restore', 'Restore'), ('copy', 'Copy'), ('compensate', 'Compensate')], default='restore', max_length=10)),
                ('deeper_by', models.FloatField(default=0.0, help_text='compensate: family unit, positive is deeper')),
                ('deeper_cuts', models.JSONField(default=list, help_text='track, space, steps, reason')),
                ('values', models.JSONField(help_text='depth values to cut, by track, family unit')),
                ('reason', models.CharField(blank=True, max_length=200)),
                ('edition', models.CharField(blank=True, max_length=200)),
                ('is_try', models.BooleanField(default=False, help_text='a key of a trial sheet: what is cut, not what the key is')),
                ('read_back_at', models.DateTimeField(blank=True, null=True)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('tag', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='settlements', to='bench.tag')),
            ],
        ),
        migrations.CreateModel(
            name='Source',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('track', models.CharField(max_length=120)),
                ('kind', models.CharField(choices=[('calipers', 'Calipers on a key'), ('probe', 'A probe on a key'), ('machine', "A machine's decode"), ('depth-keys', 'Depth keys in the lock'), ('parts', 'Stamped parts'), ('pins', 'Bottom pins measured'), ('grid', "A reading tool's grid"), ('stages', 'A blank cut down'), ('compared', 'Cuts compared by eye'), ('code', 'A code'), ('known', 'A bitting that is known'), ('tried', 'Tried in the lock'), ('try-out', 'Turned by a key of our own'), ('swings', 'Discs felt, by swings and clicks'), ('turned', 'A dial before and after turning')], default='calipers', max_length=10)),
                ('name', models.CharField(blank=True, help_text='which key or lock, where there are several', max_length=40)),
                ('counted_from', models.CharField(choices=[('bow', 'the bow'), ('tip', 'the tip')], max_length=3)),
                ('wear', models.CharField(choices=[('new', 'factory new'), ('copy', 'may be a copy'), ('some', 'some wear'), ('unsure', 'hard to say'), ('well-worn', 'well worn')], default='unsure', max_length=9)),
                ('caliper_sd', models.FloatField(help_text='of one reading as then studied, mm; null is common practice', null=True)),
                ('plug', models.FloatField(help_text='pins: what root and pin add up to, family unit', null=True)),
                ('aid', models.CharField(blank=True, help_text='what its cuts were measured over, by its name', max_length=12)),
                ('aid_size', models.FloatField(help_text='of that, family unit', null=True)),
                ('other_key', models.BooleanField(default=False, help_text='pins: the key that lifts the master pins')),
                ('odd_first', models.BooleanField(default=False, help_text='grid: odd cuts first, then even, as the tool is read')),
                ('of_lock', models.CharField(blank=True, help_text="which of the family's locks it is read in; without one every cut is there", max_length=80)),
                ('is_on', models.BooleanField(default=True)),
                ('removed', models.BooleanField(default=False)),
                ('code', models.ForeignKey(help_text='its edition with it', null=True, on_delete=django.db.models.deletion.PROTECT, related_name='sources', to='codes.code')),
                ('tag', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='sources', to='bench.tag')),
            ],
            options={
                'ordering': ['id'],
            },
        ),
        migrations.CreateModel(
            name='TrialSheet',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('track', models.CharField(help_text='none is all tracks together', max_length=120)),
                ('order', models.CharField(choices=[('cheapest', 'what costs least, time and blanks together'), ('within', 'likeliest first, within the fewest blanks'), ('blanks', 'one blank after another'), ('likeliest', 'likeliest first, whatever it takes')], default='cheapest', max_length=9)),
                ('half_steps', models.BooleanField(default=False)),
                ('series', models.ForeignKey(help_text='only its codes are tried', null=True, on_delete=django.db.models.deletion.PROTECT, to='codes.series')),
                ('tag', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='trial_sheets', to='bench.tag')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('tag', 'track'), name='one_trial_sheet_of_each_track')],
            },
        ),
        migrations.CreateModel(
            name='Answer',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('asked', models.CharField(choices=[('bore', 'Bore of the barrel, or width of the keyway'), ('levers', 'How many levers, or cuts'), ('bit', 'Size of the bit, or of the blade'), ('works', 'Which key works it now, if any does')], max_length=6)),
                ('text', models.CharField(max_length=120)),
                ('tag', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='answers', to='bench.tag')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('tag', 'asked'), name='each_question_answered_once')],
            },
        ),
        migrations.CreateModel(
            name='Lock',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=80)),
                ('enters', models.CharField(blank=True, choices=[('free', 'freely'), ('rubs', 'rubs or is stiff'), ('snags', 'snags, then goes'), ('stuck', 'will not'), ('', 'not tried')], max_length=5)),
                ('turns', models.CharField(blank=True, choices=[('free', 'freely'), ('rubs', 'rubs or is stiff'), ('snags', 'snags, then goes'), ('stuck', 'will not'), ('', 'not tried')], max_length=5)),
                ('leaves', models.CharField(blank=True, choices=[('free', 'freely'), ('rubs', 'rubs or is stiff'), ('snags', 'snags, then goes'), ('stuck', 'will not'), ('', 'not tried')], max_length=5)),
                ('grade', models.PositiveSmallIntegerField(help_text='of the old key in it, 0 will not to 10 as new', null=True)),
                ('tag', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='locks', to='bench.tag')),
            ],
            options={
                'ordering': ['id'],
            },
        ),
        migrations.CreateModel(
            name='Overruling',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('track', models.CharField(max_length=120)),
                ('space', models.PositiveSmallIntegerField()),
                ('label', models.CharField(max_length=3)),
                ('reason', models.CharField(max_length=200)),
                ('filled', models.BooleanField(default=False, help_text='nothing was seen of this cut; it was filled in')),
                ('withdrawn', models.BooleanField(default=False)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('code', models.ForeignKey(help_text='that it is from', null=True, on_delete=django.db.models.deletion.PROTECT, related_name='overrulings', to='codes.code')),
                ('tag', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='overrulings', to='bench.tag')),
            ],
            options={
                'ordering': ['id'],
            },
        ),
        migrations.CreateModel(
            name='Picture',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('jpeg', models.BinaryField()),
                ('at', models.DateTimeField(auto_now=True)),
                ('tag', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='picture', to='bench.tag')),
            ],
        ),
        migrations.CreateModel(
            name='Sighting',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('look', models.PositiveIntegerField(default=0, help_text='sightings entered together share it')),
                ('space', models.PositiveSmallIntegerField(help_text="in the family's own order")),
                ('value', models.FloatField(help_text="family unit; a pin's length", null=True)),
                ('master', models.FloatField(help_text="the master pin's length, family unit", null=True)),
                ('wafers', models.JSONField(default=list, help_text='above the first, lengths in order, family unit')),
                ('top', models.FloatField(help_text="the top pin's length, family unit; it tells no key", null=True)),
                ('labels', models.JSONField(default=list, help_text='the depth stated, or the depths it lies between')),
                ('depth', models.CharField(blank=True, help_text="of the depth key, or of the blank's cut", max_length=3)),
                ('seen', models.CharField(blank=True, choices=[('flush', 'flush'), ('proud', 'not flush'), ('unsure', 'unsure')], max_length=6)),
                ('beside', models.PositiveSmallIntegerField(help_text='the space that it was held against', null=True)),
                ('compared', models.CharField(blank=True, choices=[('deeper', 'is deeper than'), ('level', 'is level with'), ('shallower', 'is shallower than')], help_text='how it looks beside that', max_length=9)),
                ('mark', models.CharField(blank=True, choices=[('nicked', 'nicked'), ('dirty', 'dirty'), ('burred', 'burred'), ('on-ramp', 'on a ramp'), ('sound', 'sound after all')], max_length=7)),
                ('typed', models.CharField(blank=True, max_length=24)),
                ('key', models.CharField(blank=True, db_index=True, help_text='of the entry: said twice, kept once', max_length=32)),
                ('withdrawn', models.BooleanField(default=False)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('source', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='sightings', to='bench.source')),
            ],
            options={
                'ordering': ['id'],
            },
        ),
    ]
