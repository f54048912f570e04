import django.db.models.deletion
import django.db.models.functions.comparison
import django.utils.timezone
import uuid
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    replaces = [
        ('machines', '0001_initial'),
        ('machines', '0002_trims'),
        ('machines', '0003_book'),
        ('machines', '0004_lines'),
        ('machines', '0005_pieces'),
        ('machines', '0006_pieces_however_made'),
        ('machines', '0007_proving_cuts'),
        ('machines', '0008_what_a_cutter_is'),
        ('machines', '0009_faces_touched_off'),
        ('machines', '0010_holes_are_traced'),
        ('machines', '0011_trims_of_two_tracks'),
    ]

    initial = True

    dependencies = [
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
        ('bench', '0001_squashed_0002_initial'),
        ('library', '0001_squashed_0004_cards'),
    ]

    operations = [
        migrations.CreateModel(
            name='Cutter',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=40, unique=True)),
                ('flat', models.FloatField(help_text='mm')),
                ('angle', models.FloatField(help_text='included, degrees')),
                ('tool', models.CharField(choices=[('wheel', 'wheel'), ('mill', 'mill'), ('drill', 'drill'), ('slotter', 'slotter'), ('disc clamp', 'disc clamp'), ('file', 'file')], default='wheel', help_text='what it is', max_length=10)),
            ],
            options={
                'ordering': ['name'],
            },
        ),
        migrations.CreateModel(
            name='HandStudy',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('instrument', models.CharField(max_length=40)),
                ('people', models.JSONField(help_text='names, in the order of the readings')),
                ('readings', models.JSONField(help_text='mm: people, cuts, repeats')),
                ('repeatability', models.FloatField(help_text='mm, sd')),
                ('reproducibility', models.FloatField(help_text='mm, sd')),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'ordering': ['-at', '-id'],
            },
        ),
        migrations.CreateModel(
            name='CutterLook',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('cuts', models.JSONField(help_text='mm: depth below the edge, width at the edge')),
                ('flat', models.FloatField(help_text='mm')),
                ('flat_sd', models.FloatField(help_text='mm')),
                ('angle', models.FloatField(help_text='included, degrees')),
                ('angle_sd', models.FloatField(help_text='degrees')),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('cutter', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='looks', to='machines.cutter')),
            ],
            options={
                'ordering': ['-at', '-id'],
            },
        ),
        migrations.CreateModel(
            name='Machine',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=60, unique=True)),
                ('driver', models.CharField(choices=[('bench', 'Code machine on the line'), ('file', 'Cut plan as a file'), ('none', 'Not driven from here')], default='bench', max_length=8)),
                ('host', models.CharField(default='127.0.0.1', max_length=60)),
                ('port', models.PositiveIntegerField(default=8765)),
                ('sd_each', models.FloatField(default=0.006, help_text='scatter of one cut, mm')),
                ('sd_seat', models.FloatField(default=0.008, help_text='scatter of one clamping, mm')),
                ('caliper_sd', models.FloatField(default=0.01, help_text='one reading of its caliper, mm')),
                ('note', models.CharField(blank=True, max_length=200)),
                ('kind', models.CharField(choices=[('code', 'Code machine'), ('code-hand', 'Code machine run by hand'), ('tracing', 'Tracing duplicator'), ('side-mill', 'Side-milling duplicator')], default='code', max_length=9)),
                ('depth_step', models.FloatField(default=0.01, help_text='smallest depth adjustment, mm')),
                ('space_step', models.FloatField(default=0.01, help_text='smallest adjustment along the blade, mm')),
                ('screw_lead', models.FloatField(blank=True, help_text='mm a turn of the depth screw; none if by number', null=True)),
                ('depth_dial', models.FloatField(blank=True, help_text='mm a division; none without a dial', null=True)),
                ('space_dial', models.FloatField(blank=True, help_text='mm a division; none without a dial', null=True)),
                ('closer', models.CharField(blank=True, choices=[('clockwise', 'clockwise'), ('anticlockwise', 'anticlockwise')], max_length=13)),
                ('space_axis', models.CharField(default='X', help_text='moves along the blade', max_length=2)),
                ('depth_axis', models.CharField(default='Z', help_text='makes the depth', max_length=2)),
                ('one_clamp', models.BooleanField(default=False, help_text='pattern and new key take turns in it')),
                ('cutters', models.ManyToManyField(blank=True, to='machines.cutter')),
                ('fitted', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='fitted_to', to='machines.cutter')),
            ],
            options={
                'ordering': ['name'],
            },
        ),
        migrations.CreateModel(
            name='Clamp',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=40)),
                ('space_axis', models.CharField(default='X', help_text='moves from space to space', max_length=2)),
                ('depth_axis', models.CharField(default='Z', help_text='makes the depth', max_length=2)),
                ('note', models.CharField(blank=True, max_length=200)),
                ('machine', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='clamps', to='machines.machine')),
            ],
            options={
                'ordering': ['name'],
                'constraints': [models.UniqueConstraint(fields=('machine', 'name'), name='one_clamp_of_each_name')],
            },
        ),
        migrations.CreateModel(
            name='Line',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('log', models.CharField(blank=True, help_text="the machine's name for its log; another is a new one", max_length=40)),
                ('last_event', models.PositiveBigIntegerField(default=0, help_text='the newest entry recorded of that log')),
                ('begun_again', models.PositiveIntegerField(default=0, help_text='how often the log went back under the same name')),
                ('status', models.JSONField(help_text='as last told', null=True)),
                ('asked_at', models.DateTimeField(help_text='when the follower last tried', null=True)),
                ('heard_at', models.DateTimeField(help_text='when the machine last answered', null=True)),
                ('problem', models.CharField(blank=True, help_text='why it did not answer', max_length=200)),
                ('clock_off', models.FloatField(default=0.0, help_text='seconds that its clock is ahead of ours')),
                ('machine', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='line', to='machines.machine')),
            ],
        ),
        migrations.CreateModel(
            name='Duplicate',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('track', models.CharField(max_length=120)),
                ('pattern', models.JSONField(help_text='values, family order and unit; null for what was not measured')),
                ('copy', models.JSONField(help_text='likewise')),
                ('repeats', models.PositiveSmallIntegerField(default=1, help_text='of each cut, meaned; the fewest')),
                ('withdrawn', models.BooleanField(default=False)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('cutter', models.ForeignKey(help_text='on it then', null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='machines.cutter')),
                ('family_record', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='library.familyrecord')),
                ('tag', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='duplicates', to='bench.tag')),
                ('machine', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='duplicates', to='machines.machine')),
            ],
            options={
                'ordering': ['-at', '-id'],
            },
        ),
        migrations.CreateModel(
            name='CopyStepDone',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('step', models.CharField(choices=[('back', 'Depth knob back to its set mark; head and guide locks loose'), ('match', 'Mill to tracer, on identical flats'), ('depth', 'Depth on the pattern, the blank’s jaw empty'), ('lift', 'Follower lifted off the pattern’s floor, locked'), ('blank', 'Blank in; the same shoulder for both, the travelling stop where the blade is too short'), ('lock', 'Tracer’s spring locked; drill to tracer, on identical flats'), ('row', 'Pattern and blank flat, at the same stop; sideways motion locked on the first row'), ('free', 'Outer holes done. Spring free; inner drill and tracer in, their height set to the inner tip')], max_length=5)),
                ('profile', models.CharField(help_text="the family's name, or the blank's where it is not known", max_length=120)),
                ('at', models.DateTimeField(default=django.utils.timezone.now)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('machine', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='copy_steps', to='machines.machine')),
            ],
            options={
                'ordering': ['id'],
            },
        ),
        migrations.CreateModel(
            name='MachineWork',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('what', models.CharField(choices=[('wheel', 'put a new cutter on'), ('swapped', 'put another cutter on'), ('jaw', 'changed or squared the jaw'), ('jam', 'cleared a jam'), ('service', 'had it serviced'), ('brushed', 'brushed the chips away'), ('cleaned', 'cleaned jaws and slides'), ('tightened', 'tightened nuts and screws'), ('homed', 'homed it'), ('touched', 'trimmed it by touch'), ('thumped', 'heard it thump past home'), ('burrs', 'found burrs on its keys'), ('shook', 'felt it shake')], max_length=9)),
                ('note', models.CharField(blank=True, max_length=200)),
                ('at', models.DateTimeField(default=django.utils.timezone.now)),
                ('by', models.ForeignKey(help_text='none is told by the machine', null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('cutter', models.ForeignKey(blank=True, help_text='fitted then, or by it', null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='work', to='machines.cutter')),
                ('machine', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='work', to='machines.machine')),
            ],
            options={
                'ordering': ['-at', '-id'],
            },
        ),
        migrations.CreateModel(
            name='Misreport',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('job', models.CharField(blank=True, db_index=True, max_length=60)),
                ('says', models.CharField(max_length=300)),
                ('raw', models.TextField(blank=True, help_text='the beginning of what came')),
                ('times', models.PositiveIntegerField(default=1)),
                ('first_at', models.DateTimeField(auto_now_add=True)),
                ('last_at', models.DateTimeField(auto_now=True)),
                ('machine', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='misreports', to='machines.machine')),
                ('noted_by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'ordering': ['-last_at'],
            },
        ),
        migrations.CreateModel(
            name='Order',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('key', models.UUIDField(default=uuid.uuid4, unique=True)),
                ('job', models.CharField(blank=True, db_index=True, help_text='the key it is about', max_length=60)),
                ('command', models.CharField(max_length=12)),
                ('data', models.JSONField(default=dict, help_text='what goes with it; empty once it is answered')),
                ('seen', models.PositiveBigIntegerField(help_text='the newest entry of the log that the press rests on', null=True)),
                ('log', models.CharField(blank=True, help_text='that log', max_length=40)),
                ('state', models.CharField(choices=[('asked', 'not delivered yet'), ('sent', 'sent, not answered yet'), ('acknowledged', 'acknowledged'), ('refused', 'refused'), ('overtaken', 'overtaken by hold or stop'), ('expired', 'not delivered in time')], db_index=True, default='asked', max_length=12)),
                ('answer', models.CharField(blank=True, help_text='why it was refused', max_length=300)),
                ('result', models.JSONField(null=True)),
                ('asked_at', models.DateTimeField(auto_now_add=True)),
                ('sent_at', models.DateTimeField(null=True)),
                ('answered_at', models.DateTimeField(null=True)),
                ('by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('machine', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='orders', to='machines.machine')),
            ],
            options={
                'ordering': ['id'],
            },
        ),
        migrations.CreateModel(
            name='Practice',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('hidden', models.CharField(choices=[('depth', 'the depth setting'), ('gauge', 'the gauge setting'), ('jaw', 'the jaw out of square'), ('wheel', 'the wheel wearing away'), ('nothing', 'nothing at all')], default='depth', max_length=7)),
                ('named', models.CharField(blank=True, choices=[('depth', 'the depth setting'), ('gauge', 'the gauge setting'), ('jaw', 'the jaw out of square'), ('wheel', 'the wheel wearing away'), ('nothing', 'nothing at all')], help_text='what the learner says it was', max_length=7)),
                ('fault', models.FloatField(help_text='how much of it: mm; of a jaw mm a mm; of a wheel mm a cut')),
                ('keys_before', models.PositiveIntegerField()),
                ('keys_used', models.PositiveIntegerField(null=True)),
                ('left_over', models.FloatField(help_text='mm', null=True)),
                ('began_at', models.DateTimeField(auto_now_add=True)),
                ('ended_at', models.DateTimeField(blank=True, null=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('machine', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='practices', to='machines.machine')),
            ],
            options={
                'ordering': ['-id'],
            },
        ),
        migrations.CreateModel(
            name='Shift',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('by_mm', models.FloatField(help_text='of its depth, mm, away from the key is positive')),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('put_back_at', models.DateTimeField(null=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('machine', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='shifts', to='machines.machine')),
                ('tag', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='bench.tag')),
            ],
            options={
                'ordering': ['id'],
                'constraints': [models.UniqueConstraint(condition=models.Q(('put_back_at', None)), fields=('machine',), name='one_shift_at_a_time')],
            },
        ),
        migrations.CreateModel(
            name='TouchTry',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('showed', models.CharField(choices=[('nothing', 'nothing'), ('nick', 'nick'), ('line', 'line'), ('cut', 'cut')], max_length=7)),
                ('moved', models.FloatField(help_text='mm, closer is positive')),
                ('cylinder', models.CharField(blank=True, choices=[('free', 'free'), ('rubs', 'rubs'), ('snags', 'snags'), ('stuck', 'stuck')], help_text='after a nick: how its proving key went in its cylinder', max_length=5)),
                ('is_done', models.BooleanField(default=False, help_text='of a trim that is over')),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('machine', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='touches', to='machines.machine')),
            ],
            options={
                'ordering': ['id'],
            },
        ),
        migrations.CreateModel(
            name='LineEvent',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('log', models.CharField(max_length=40)),
                ('number', models.PositiveBigIntegerField()),
                ('kind', models.CharField(max_length=20)),
                ('job', models.CharField(blank=True, db_index=True, max_length=60)),
                ('data', models.JSONField(default=dict)),
                ('at', models.DateTimeField(help_text="by the machine's own clock; entries of old have none", null=True)),
                ('seen_at', models.DateTimeField(auto_now_add=True)),
                ('machine', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='line_events', to='machines.machine')),
            ],
            options={
                'ordering': ['id'],
                'constraints': [models.UniqueConstraint(fields=('machine', 'log', 'number'), name='entry_recorded_once')],
            },
        ),
        migrations.CreateModel(
            name='Follower',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=40)),
                ('flat', models.FloatField(help_text='mm')),
                ('angle', models.FloatField(help_text='included, degrees')),
                ('is_fitted', models.BooleanField(default=False)),
                ('machine', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='followers', to='machines.machine')),
            ],
            options={
                'ordering': ['name'],
                'constraints': [models.UniqueConstraint(fields=('machine', 'name'), name='one_follower_of_each_name')],
            },
        ),
        migrations.CreateModel(
            name='JawSide',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=10)),
                ('slot_depth', models.FloatField(help_text='mm')),
                ('clamp', models.ForeignKey(blank=True, help_text="none is the machine's own jaw", null=True, on_delete=django.db.models.deletion.CASCADE, related_name='faces', to='machines.clamp')),
                ('machine', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='jaw_sides', to='machines.machine')),
            ],
            options={
                'ordering': ['-slot_depth'],
            },
        ),
        migrations.CreateModel(
            name='FaceTouch',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('step', models.CharField(choices=[('floor', 'floor'), ('top', 'top'), ('edge', 'edge')], max_length=5)),
                ('thickness', models.FloatField(default=0.0, help_text='of the flat that lay there, mm')),
                ('near', models.FloatField(help_text='mm')),
                ('far', models.FloatField(help_text='mm')),
                ('apart', models.FloatField(help_text='mm between the two')),
                ('faults', models.JSONField(default=list, help_text='what it says is wrong; nothing rests on one that has any')),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('cutter', models.ForeignKey(help_text='fitted then', null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='machines.cutter')),
                ('side', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='touches', to='machines.jawside')),
            ],
            options={
                'ordering': ['id'],
            },
        ),
        migrations.CreateModel(
            name='MachineOffset',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('gauge', models.CharField(choices=[('shoulder', 'Shoulder'), ('tip', 'Tip')], max_length=8)),
                ('value', models.FloatField(default=0.0, help_text='added to depth values, mm')),
                ('space', models.FloatField(default=0.0, help_text='added to positions, mm')),
                ('maker_value', models.FloatField(default=0.0, help_text="the maker's own figure, mm")),
                ('maker_space', models.FloatField(default=0.0, help_text="the maker's own figure, mm")),
                ('why', models.CharField(blank=True, max_length=200)),
                ('family_record', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.CASCADE, related_name='+', to='library.familyrecord')),
                ('jaw_side', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.CASCADE, related_name='offsets', to='machines.jawside')),
                ('machine', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='offsets', to='machines.machine')),
            ],
            options={
                'ordering': ['gauge', 'jaw_side', 'family_record'],
                'constraints': [models.UniqueConstraint(models.F('machine'), models.F('gauge'), django.db.models.functions.comparison.Coalesce('jaw_side', 0), django.db.models.functions.comparison.Coalesce('family_record', 0), name='one_offset_of_each_sort')],
            },
        ),
        migrations.CreateModel(
            name='Trim',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('gauge', models.CharField(choices=[('shoulder', 'Shoulder'), ('tip', 'Tip')], max_length=8)),
                ('track', models.CharField(max_length=120)),
                ('steps', models.JSONField(help_text='the test bitting, family order')),
                ('beside', models.CharField(blank=True, help_text='measured with it: the wall across, or holes of another drill', max_length=120)),
                ('steps_beside', models.JSONField(default=list, help_text='the test bitting of that track, family order')),
                ('is_check', models.BooleanField(default=False, help_text='a morning check: one key, true or not')),
                ('known_size', models.FloatField(help_text='of the gauge block the caliper was tried on, mm', null=True)),
                ('known_read', models.FloatField(help_text='what the caliper said of it, mm', null=True)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('closed_at', models.DateTimeField(blank=True, null=True)),
                ('verdict', models.CharField(blank=True, max_length=7)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('cutter', models.ForeignKey(help_text='on it then', null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='machines.cutter')),
                ('family_record', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='library.familyrecord')),
                ('jaw_side', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='machines.jawside')),
                ('machine', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='trims', to='machines.machine')),
                ('tag', models.ForeignKey(help_text='made the test keys', null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='bench.tag')),
            ],
            options={
                'ordering': ['-at', '-id'],
            },
        ),
        migrations.CreateModel(
            name='OffsetChange',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('value_before', models.FloatField(help_text='mm')),
                ('space_before', models.FloatField(help_text='mm')),
                ('value_after', models.FloatField(help_text='mm')),
                ('space_after', models.FloatField(help_text='mm')),
                ('turned', models.FloatField(default=0.0, help_text='by the screw instead of the number, mm')),
                ('why', models.CharField(blank=True, max_length=200)),
                ('undone', models.BooleanField(default=False)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('offset', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='changes', to='machines.machineoffset')),
                ('trim', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='changes', to='machines.trim')),
            ],
            options={
                'ordering': ['-at', '-id'],
            },
        ),
        migrations.CreateModel(
            name='TrimReading',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('clamping', models.PositiveSmallIntegerField()),
                ('track', models.CharField(blank=True, help_text='the one measured beside; none is its own', max_length=120)),
                ('space', models.PositiveSmallIntegerField(help_text='family order, from 1')),
                ('value', models.FloatField(help_text='family unit', null=True)),
                ('position', models.FloatField(help_text='family unit, from the gauge', null=True)),
                ('withdrawn', models.BooleanField(default=False)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('trim', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='readings', to='machines.trim')),
            ],
            options={
                'ordering': ['clamping', 'space', 'id'],
            },
        ),
    ]
