import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    replaces = [
        ('records', '0001_initial'),
        ('records', '0002_sources'),
        ('records', '0003_codes'),
        ('records', '0004_log'),
        ('records', '0005_log_events'),
        ('records', '0006_guide_events'),
        ('records', '0007_piece_events'),
        ('records', '0008_family_editions'),
        ('records', '0009_stages_and_faces'),
    ]

    dependencies = [
        ('bench', '0001_squashed_0002_initial'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='AuditEntry',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('event', models.CharField(choices=[('taken-in', 'taken in'), ('changed', 'changed'), ('declined', 'not one for us'), ('source-added', 'began a source'), ('source-changed', 'changed a source'), ('measured', 'measured'), ('looked', 'looked'), ('reading-withdrawn', 'reading taken back'), ('overruled', 'overruled a cut'), ('overrule-withdrawn', 'took an overruling back'), ('settled', 'settled the bitting'), ('read-back', 'read the bitting back'), ('set-up', 'set the machine up'), ('run-started', 'sent a key to the machine'), ('run-finished', 'key made'), ('piece-begun', 'began a key by hand'), ('stage-filed', 'filed a step and looked'), ('stage-taken-back', 'took a look at a step back'), ('piece-deburred', 'deburred a key'), ('verdict-lifted', 'verdict lifted: something new is known of the key'), ('piece-spoilt', 'key spoilt'), ('piece-given-up', 'key given up, its blank still good'), ('piece-taken-as-made', 'looked at a key and took it as made'), ('proved', 'measured the new key'), ('tried', 'tried in the lock'), ('handed-over', 'handed over'), ('family-imported', 'family brought in'), ('edition-in-force', "family's edition put in force"), ('edition-discarded', "family's edition thrown away"), ('edition-taken', 'went over to the edition in force'), ('series-imported', 'code series brought in'), ('sheet-changed', 'changed the trial sheet'), ('sheet-noted', 'noted on the trial sheet'), ('sheet-withdrawn', 'took a line of the trial sheet back'), ('trim-begun', 'began a trim'), ('trim-measured', 'measured a test key'), ('trim-closed', 'closed a trim'), ('offsets-changed', "changed a machine's offsets"), ('face-touched', "touched a clamp's face off"), ('machine-worked', 'worked on a machine'), ('hand-studied', 'studied hands and calipers'), ('series-offered', 'code series offered'), ('series-discarded', 'code series thrown away'), ('codes-seen', 'asked to see codes'), ('bitting-seen', 'looked at the bitting'), ('remade', 'made again from a record'), ('tools-made', "cut keys for the shop's own use"), ('tool-handed-on', "a tool of the shop's changed hands"), ('tool-destroyed', "destroyed a tool of the shop's"), ('guide-brought-in', 'fitting guide brought in'), ('guide-changed', 'changed a row of the guide')], max_length=24)),
                ('tag_number', models.PositiveIntegerField(help_text='as on the tag, which may go', null=True)),
                ('data', models.JSONField(default=dict, help_text='names records; no bitting, code or customer stands in it')),
                ('once', models.CharField(help_text='what is written down once only', max_length=60, null=True, unique=True)),
                ('at', models.DateTimeField(auto_now_add=True, db_index=True)),
                ('actor', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('tag', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='audit', to='bench.tag')),
            ],
            options={
                'ordering': ['-at', '-id'],
            },
        ),
    ]
