"""``load_demonstration``: make the database and fill it with the shop in Dunmere; a filled one is left alone."""

from __future__ import annotations

import os
from typing import Any

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError
from django.db import transaction

from wryfalcon.accounts.models import User
from wryfalcon.demonstration.editions import by_an_older_print, offer_an_update
from wryfalcon.demonstration.faces import hang_faces
from wryfalcon.demonstration.keeping_true import check_some, hang_a_trim, trace_some
from wryfalcon.demonstration.open_jobs import hang_open_tags
from wryfalcon.demonstration.other_ways import hang_other_ways
from wryfalcon.demonstration.past import fill_history
from wryfalcon.demonstration.series import bring_in_series
from wryfalcon.demonstration.shop import furnish
from wryfalcon.machines.models import DriverKind, Machine


class Command(BaseCommand):
    """All of it in one process, so that a later start takes seconds."""

    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        """Fill the database, all or nothing."""
        if not settings.DEMONSTRATION:
            raise CommandError("This is not the demonstration; nothing was loaded.")
        call_command("migrate", verbosity=0)
        call_command("collectstatic", interactive=False, verbosity=0)
        port = int(os.environ.get("WRY_FALCON_MACHINE_PORT", "8765"))
        if not User.objects.exists():
            with transaction.atomic():
                people = furnish()
                by_an_older_print(people, fill_history)
                hang_open_tags(people)
                hang_other_ways(people)
                hang_faces(people)
                bring_in_series(people["orla"])
                offer_an_update(people["orla"])
                hang_a_trim(people)
                check_some(people["tam"])
                trace_some(people["tam"])
            self.stdout.write("The demonstration shop is loaded.")
        Machine.objects.filter(driver=DriverKind.BENCH).update(port=port)
