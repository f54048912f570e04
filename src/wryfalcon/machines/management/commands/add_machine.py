"""``add_machine NAME``: a machine on the line, or one that takes a file; offsets start at nothing."""

from __future__ import annotations

from argparse import ArgumentParser
from typing import Any

from django.core.management.base import BaseCommand, CommandError
from django.db import transaction

from wryfalcon.machines.models import Cutter, DriverKind, JawSide, Machine, MachineOffset


class Command(BaseCommand):
    """Add a machine with its jaw sides and cutters."""

    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        """How it is reached and what is fitted."""
        parser.add_argument("name")
        parser.add_argument("--driver", choices=DriverKind.values, default=DriverKind.BENCH)
        parser.add_argument("--host", default="127.0.0.1")
        parser.add_argument("--port", type=int, default=8765)
        parser.add_argument("--jaw", action="append", default=[], metavar="NAME:SLOT_MM", help="a jaw side, repeatable")
        parser.add_argument(
            "--cutter", action="append", default=[], metavar="NAME:FLAT_MM:ANGLE", help="a cutter, repeatable"
        )

    @transaction.atomic
    def handle(self, *args: Any, **options: Any) -> None:
        """Keep the machine, all or nothing."""
        if Machine.objects.filter(name=options["name"]).exists():
            raise CommandError(f"There is a machine {options['name']} already.")
        machine = Machine.objects.create(
            name=options["name"], driver=options["driver"], host=options["host"], port=options["port"]
        )
        for gauge in ("shoulder", "tip"):
            MachineOffset.objects.create(machine=machine, gauge=gauge, why="as it was delivered")
        for name, slot in _parts(options["jaw"], 2):
            JawSide.objects.create(machine=machine, name=name, slot_depth=_number(slot))
        for name, flat, angle in _parts(options["cutter"], 3):
            shape = {"flat": _number(flat), "angle": _number(angle)}
            machine.cutters.add(Cutter.objects.get_or_create(name=name, defaults=shape)[0])
        machine.fitted = machine.cutters.first()
        machine.save()
        self.stdout.write(f"{machine} is in the book.")


def _parts(given: list[str], count: int) -> list[list[str]]:
    parts = [text.split(":") for text in given]
    wrong = next((text for text, split in zip(given, parts, strict=True) if len(split) != count), None)
    if wrong is not None:
        raise CommandError(f"{wrong!r} wants {count} parts with colons between.")
    return parts


def _number(text: str) -> float:
    try:
        return float(text)
    except ValueError:
        raise CommandError(f"{text!r} is not a number.") from None
