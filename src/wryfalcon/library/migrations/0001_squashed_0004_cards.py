import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    replaces = [
        ('library', '0001_initial'),
        ('library', '0002_guide'),
        ('library', '0003_family_editions'),
        ('library', '0004_cards'),
    ]

    dependencies = [
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='CardRule',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('slug', models.SlugField(help_text='of the family', max_length=80, unique=True)),
                ('printed', models.CharField(help_text='# for a character that counts, x for one that does not', max_length=40)),
            ],
        ),
        migrations.CreateModel(
            name='FamilyRecord',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('slug', models.SlugField(max_length=80)),
                ('name', models.CharField(max_length=120)),
                ('kind', models.CharField(max_length=12)),
                ('unit', models.CharField(max_length=2)),
                ('edition', models.CharField(blank=True, max_length=200)),
                ('document', models.TextField()),
                ('restricted', models.BooleanField(default=False, help_text='no key without the authority recorded')),
                ('provenance', models.CharField(blank=True, max_length=200)),
                ('state', models.CharField(choices=[('checked', 'checked, not in force yet'), ('in-force', 'in force'), ('replaced', 'no longer in force')], default='in-force', max_length=8)),
                ('in_force_at', models.DateTimeField(help_text="last put in force; none for a family's first edition", null=True)),
                ('created_at', models.DateTimeField(auto_now_add=True)),
                ('changed_at', models.DateTimeField(auto_now=True)),
            ],
            options={
                'ordering': ['name'],
                'constraints': [models.UniqueConstraint(fields=('slug', 'edition'), name='one_family_of_each_edition'), models.UniqueConstraint(condition=models.Q(('state', 'in-force')), fields=('slug',), name='one_edition_in_force'), models.UniqueConstraint(condition=models.Q(('state', 'checked')), fields=('slug',), name='one_edition_waits')],
            },
        ),
        migrations.CreateModel(
            name='Blank',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('code', models.CharField(max_length=40, unique=True)),
                ('hook', models.CharField(max_length=20)),
                ('left', models.PositiveIntegerField(default=0)),
                ('families', models.ManyToManyField(related_name='blanks', to='library.familyrecord')),
            ],
            options={
                'ordering': ['code'],
            },
        ),
        migrations.CreateModel(
            name='Guide',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('slug', models.SlugField(max_length=80, unique=True)),
                ('name', models.CharField(max_length=120)),
                ('edition', models.CharField(blank=True, max_length=200)),
                ('source', models.CharField(blank=True, max_length=200)),
                ('at', models.DateTimeField(auto_now=True)),
                ('by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'ordering': ['name'],
            },
        ),
        migrations.CreateModel(
            name='GuideEntry',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('what', models.CharField(max_length=120)),
                ('since', models.PositiveSmallIntegerField(blank=True, null=True)),
                ('until', models.PositiveSmallIntegerField(blank=True, null=True)),
                ('use', models.CharField(blank=True, max_length=60)),
                ('family', models.CharField(blank=True, help_text='its id, whether the library has it or not', max_length=80)),
                ('cuts', models.PositiveSmallIntegerField(blank=True, null=True)),
                ('blanks', models.JSONField(default=list, help_text='pairs of supplier and number')),
                ('clamp', models.CharField(blank=True, max_length=120)),
                ('face', models.CharField(blank=True, max_length=120)),
                ('stop', models.CharField(blank=True, max_length=120)),
                ('electronics', models.CharField(blank=True, max_length=60)),
                ('procedure', models.CharField(blank=True, max_length=200)),
                ('guide', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='entries', to='library.guide')),
            ],
            options={
                'ordering': ['guide', 'id'],
            },
        ),
        migrations.CreateModel(
            name='NotInGuide',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('words', models.CharField(max_length=120)),
                ('year', models.PositiveSmallIntegerField(null=True)),
                ('cuts', models.PositiveSmallIntegerField(null=True)),
                ('number', models.CharField(blank=True, max_length=40)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'ordering': ['-at', '-id'],
            },
        ),
    ]
