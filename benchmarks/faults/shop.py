"""Make a shop's database in the folder that the environment names: tags settled and carded, ready to be cut."""

from __future__ import annotations

import os
from random import Random

import django

django.setup()

from django.core.management import call_command  # noqa: E402

from web.jobs import carded, hang, settled  # noqa: E402
from wryfalcon.demonstration.making import bitting_of, family_record  # noqa: E402
from wryfalcon.demonstration.shop import furnish  # noqa: E402
from wryfalcon.library.models import Blank  # noqa: E402
from wryfalcon.machines.models import DriverKind, Machine  # noqa: E402

BLANKS = 1000
FAMILIES = ("harbour-five", "lighthouse-eight", "boathouse-four")
"""One edge, both edges of one track, and tracks of their own."""


def main() -> None:
    """As many tags as WRY_FALCON_TAGS says, two keys each."""
    call_command("migrate", verbosity=0)
    call_command("collectstatic", interactive=False, verbosity=0)
    people = furnish()
    Blank.objects.update(left=BLANKS)
    machine = Machine.objects.get(driver=DriverKind.BENCH)
    machine.port = int(os.environ["WRY_FALCON_MACHINE_PORT"])
    machine.save()
    random = Random(1)
    for number in range(int(os.environ.get("WRY_FALCON_TAGS", "12"))):
        record = family_record(FAMILIES[number % len(FAMILIES)])
        tag = hang(people, title=f"Tag {number}", family=record, quantity=2)
        settled(people, tag, bitting_of(record.family, random))
        carded(people, tag, machine)


if __name__ == "__main__":
    main()
