import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    replaces = [
        ('bench', '0003_sources'),
        ('bench', '0004_looks'),
        ('bench', '0005_codes'),
        ('bench', '0006_pieces'),
        ('bench', '0007_what_cards_rest_on'),
        ('bench', '0008_entry_keys'),
        ('bench', '0009_tried_in_the_lock'),
        ('bench', '0010_stamped'),
        ('bench', '0011_cheapest_order'),
        ('bench', '0012_compared_and_marked'),
        ('bench', '0013_clampings'),
        ('bench', '0014_compared'),
        ('bench', '0015_known'),
        ('bench', '0016_pieces_however_made'),
        ('bench', '0017_made_and_proven_how'),
        ('bench', '0018_what_a_piece_took'),
        ('bench', '0019_tries_by_machine'),
        ('bench', '0020_turns_and_tools'),
        ('bench', '0021_swings'),
        ('bench', '0022_steps_at_dials'),
        ('bench', '0023_measured_over'),
        ('bench', '0024_turned'),
        ('bench', '0025_filed_by_stages'),
        ('bench', '0026_read_in_a_lock'),
        ('bench', '0027_measured_over_too'),
        ('bench', '0028_sheets_of_all_tracks'),
    ]

    dependencies = [
        ('bench', '0001_squashed_0002_initial'),
        ('codes', '0001_squashed_0002_bad_bittings'),
        ('library', '0001_squashed_0004_cards'),
        ('machines', '0001_squashed_0011_trims_of_two_tracks'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.AddField(
            model_name='piece',
            name='cutter',
            field=models.ForeignKey(help_text='on its machine then, where no card says so', null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='machines.cutter'),
        ),
        migrations.AddField(
            model_name='piece',
            name='machine',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='pieces', to='machines.machine'),
        ),
        migrations.AddField(
            model_name='piece',
            name='maker',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL),
        ),
        migrations.AddField(
            model_name='piece',
            name='onto',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.RESTRICT, related_name='touched_up', to='bench.piece'),
        ),
        migrations.AddField(
            model_name='piece',
            name='tag',
            field=models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='pieces', to='bench.tag'),
        ),
        migrations.AddField(
            model_name='proof',
            name='by',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL),
        ),
        migrations.AddField(
            model_name='proof',
            name='piece',
            field=models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='proof', to='bench.piece'),
        ),
        migrations.AddField(
            model_name='proofvalue',
            name='by',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL),
        ),
        migrations.AddField(
            model_name='proofvalue',
            name='piece',
            field=models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='proof_values', to='bench.piece'),
        ),
        migrations.AddField(
            model_name='settlement',
            name='by',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL),
        ),
        migrations.AddField(
            model_name='settlement',
            name='tag',
            field=models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='settlements', to='bench.tag'),
        ),
        migrations.AddField(
            model_name='piece',
            name='settlement',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.RESTRICT, related_name='pieces', to='bench.settlement'),
        ),
        migrations.AddField(
            model_name='setup',
            name='by',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL),
        ),
        migrations.AddField(
            model_name='setup',
            name='cutter',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to='machines.cutter'),
        ),
        migrations.AddField(
            model_name='setup',
            name='jaw_side',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, to='machines.jawside'),
        ),
        migrations.AddField(
            model_name='setup',
            name='machine',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to='machines.machine'),
        ),
        migrations.AddField(
            model_name='setup',
            name='settlement',
            field=models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='set_ups', to='bench.settlement'),
        ),
        migrations.AddField(
            model_name='setup',
            name='tag',
            field=models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='set_ups', to='bench.tag'),
        ),
        migrations.AddField(
            model_name='piece',
            name='set_up',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.RESTRICT, related_name='pieces', to='bench.setup'),
        ),
        migrations.AddField(
            model_name='sheetentry',
            name='by',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL),
        ),
        migrations.AddField(
            model_name='sheetentry',
            name='piece',
            field=models.ForeignKey(help_text='the key as it was tried', null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='tries', to='bench.piece'),
        ),
        migrations.AddField(
            model_name='sheetentry',
            name='to_cut',
            field=models.ForeignKey(help_text='what a machine is to cut for it', null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='entries', to='bench.settlement'),
        ),
        migrations.AddField(
            model_name='shoptool',
            name='destroyed_by',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL),
        ),
        migrations.AddField(
            model_name='shoptool',
            name='family_record',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='tools', to='library.familyrecord'),
        ),
        migrations.AddField(
            model_name='shoptool',
            name='holder',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL),
        ),
        migrations.AddField(
            model_name='shoptool',
            name='piece',
            field=models.OneToOneField(on_delete=django.db.models.deletion.PROTECT, related_name='tool', to='bench.piece'),
        ),
        migrations.AddField(
            model_name='sidebyside',
            name='by',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL),
        ),
        migrations.AddField(
            model_name='sidebyside',
            name='piece',
            field=models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='dimensions', to='bench.piece'),
        ),
        migrations.AddField(
            model_name='sighting',
            name='by',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL),
        ),
        migrations.AddField(
            model_name='source',
            name='code',
            field=models.ForeignKey(help_text='its edition with it', null=True, on_delete=django.db.models.deletion.PROTECT, related_name='sources', to='codes.code'),
        ),
        migrations.AddField(
            model_name='source',
            name='tag',
            field=models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='sources', to='bench.tag'),
        ),
        migrations.AddField(
            model_name='sighting',
            name='source',
            field=models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='sightings', to='bench.source'),
        ),
        migrations.AddField(
            model_name='stagelook',
            name='by',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL),
        ),
        migrations.AddField(
            model_name='stagelook',
            name='piece',
            field=models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='stage_looks', to='bench.piece'),
        ),
        migrations.AddField(
            model_name='trial',
            name='by',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL),
        ),
        migrations.AddField(
            model_name='trial',
            name='lock',
            field=models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='trials', to='bench.lock'),
        ),
        migrations.AddField(
            model_name='trial',
            name='piece',
            field=models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='trials', to='bench.piece'),
        ),
        migrations.AddField(
            model_name='trialsheet',
            name='series',
            field=models.ForeignKey(help_text='only its codes are tried', null=True, on_delete=django.db.models.deletion.PROTECT, to='codes.series'),
        ),
        migrations.AddField(
            model_name='trialsheet',
            name='tag',
            field=models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='trial_sheets', to='bench.tag'),
        ),
        migrations.AddField(
            model_name='sheetentry',
            name='sheet',
            field=models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='entries', to='bench.trialsheet'),
        ),
        migrations.AddConstraint(
            model_name='answer',
            constraint=models.UniqueConstraint(fields=('tag', 'asked'), name='each_question_answered_once'),
        ),
        migrations.AddConstraint(
            model_name='piece',
            constraint=models.UniqueConstraint(condition=models.Q(('onto', None), models.Q(('state', 'abandoned'), _negated=True)), fields=('tag', 'key_number', 'try_number'), name='each_try_counted_once'),
        ),
        migrations.AddConstraint(
            model_name='piece',
            constraint=models.UniqueConstraint(condition=models.Q(('state', 'abandoned'), _negated=True), fields=('onto',), name='one_touch_up_of_each_piece'),
        ),
        migrations.AddConstraint(
            model_name='sidebyside',
            constraint=models.UniqueConstraint(fields=('piece', 'what'), name='each_dimension_once'),
        ),
        migrations.AddConstraint(
            model_name='trial',
            constraint=models.UniqueConstraint(fields=('piece', 'lock', 'way_up', 'worked'), name='one_trial_of_each_sort'),
        ),
        migrations.AddConstraint(
            model_name='trialsheet',
            constraint=models.UniqueConstraint(fields=('tag', 'track'), name='one_trial_sheet_of_each_track'),
        ),
    ]
