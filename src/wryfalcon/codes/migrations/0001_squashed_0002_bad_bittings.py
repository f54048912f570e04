import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    replaces = [
        ('codes', '0001_initial'),
        ('codes', '0002_bad_bittings'),
    ]

    initial = True

    dependencies = [
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
        ('library', '0001_squashed_0004_cards'),
    ]

    operations = [
        migrations.CreateModel(
            name='Series',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('slug', models.SlugField(max_length=60)),
                ('edition', models.CharField(blank=True, max_length=60)),
                ('name', models.CharField(max_length=120)),
                ('maker', models.CharField(blank=True, max_length=120)),
                ('use', models.CharField(blank=True, help_text='what locks carry these codes', max_length=120)),
                ('track', models.CharField(max_length=120)),
                ('printed', models.CharField(blank=True, help_text='# counts, x does not, in a code as printed', max_length=40)),
                ('formula', models.CharField(blank=True, help_text='in words, for a series that has one', max_length=300)),
                ('note', models.CharField(blank=True, max_length=300)),
                ('state', models.CharField(choices=[('reading', 'being read'), ('checked', 'checked, not in force yet'), ('in-force', 'in force'), ('replaced', 'replaced by a later edition')], default='reading', max_length=8)),
                ('count', models.PositiveIntegerField(default=0)),
                ('flagged', models.PositiveIntegerField(default=0, help_text='codes whose bitting breaks a rule of the family')),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('family_record', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='series', to='library.familyrecord')),
                ('replaces', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='replaced_by', to='codes.series')),
            ],
            options={
                'ordering': ['name', '-at'],
                'constraints': [models.UniqueConstraint(fields=('slug', 'edition'), name='one_of_each_edition')],
            },
        ),
        migrations.CreateModel(
            name='Intake',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('file', models.CharField(max_length=200)),
                ('size', models.PositiveBigIntegerField(help_text='bytes of the file')),
                ('read', models.PositiveBigIntegerField(default=0, help_text='bytes read so far')),
                ('rows', models.PositiveIntegerField(default=0)),
                ('bad', models.PositiveIntegerField(default=0)),
                ('problem', models.CharField(blank=True, help_text='what stopped the reading', max_length=300)),
                ('reading', models.PositiveIntegerField(default=0, help_text='which reading of the file this is; an older one gives up')),
                ('stop_asked', models.BooleanField(default=False)),
                ('heard_at', models.DateTimeField(auto_now=True)),
                ('added', models.PositiveIntegerField(help_text='codes that the edition before lacks', null=True)),
                ('changed', models.PositiveIntegerField(help_text='codes with another bitting than before', null=True)),
                ('gone', models.PositiveIntegerField(help_text='codes of the edition before that are missing', null=True)),
                ('series', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='intake', to='codes.series')),
            ],
        ),
        migrations.CreateModel(
            name='Names',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('first', models.PositiveBigIntegerField(help_text='key of the first code of the run')),
                ('width', models.PositiveSmallIntegerField(help_text='bytes that each code takes')),
                ('codes', models.BinaryField(help_text='UTF-8, filled up with zero bytes')),
                ('series', models.ForeignKey(db_index=False, on_delete=django.db.models.deletion.CASCADE, related_name='names', to='codes.series')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('series', 'first'), name='names_of_each_run')],
            },
        ),
        migrations.CreateModel(
            name='Column',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('first', models.PositiveBigIntegerField(help_text='key of the first code of the run; they follow one another')),
                ('space', models.PositiveSmallIntegerField(help_text="from 0, in the family's order")),
                ('steps', models.BinaryField(help_text='one byte a code, its place in the depth table')),
                ('series', models.ForeignKey(db_index=False, on_delete=django.db.models.deletion.CASCADE, related_name='columns', to='codes.series')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('series', 'space', 'first'), name='one_column_of_each_run')],
            },
        ),
        migrations.CreateModel(
            name='Code',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('code', models.CharField(max_length=40)),
                ('looked_up', models.CharField(max_length=40)),
                ('bitting', models.CharField(help_text='labels with a space between', max_length=240)),
                ('broken', models.CharField(blank=True, help_text='the rules of the family it breaks', max_length=60)),
                ('series', models.ForeignKey(db_index=False, on_delete=django.db.models.deletion.CASCADE, related_name='codes', to='codes.series')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('looked_up', 'series'), name='one_code_once_in_a_series')],
            },
        ),
        migrations.CreateModel(
            name='BadCode',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('line', models.PositiveIntegerField()),
                ('code', models.CharField(blank=True, max_length=40)),
                ('bitting', models.CharField(blank=True, help_text='as it was written', max_length=240)),
                ('reason', models.CharField(max_length=200)),
                ('intake', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='bad_codes', to='codes.intake')),
            ],
            options={
                'ordering': ['line'],
            },
        ),
    ]
