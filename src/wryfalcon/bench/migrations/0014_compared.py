"""How a cut looks beside another was called looks, which is also what every sighting is."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("bench", "0013_clampings")]

    operations = [migrations.RenameField("sighting", "looks", "compared")]
