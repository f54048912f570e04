"""``add_person NAME --role ROLE``: someone new who logs in; the password is asked for, or read from a line.

``--again`` gives a person who is here already another password; their role stays unless ``--role`` gives one.
"""

from __future__ import annotations

import getpass
import sys
from argparse import ArgumentParser
from typing import Any

from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.core.management.base import BaseCommand, CommandError

from wryfalcon.accounts.models import Role, User


class Command(BaseCommand):
    """Add a person; change the role and password of one only when told so."""

    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        """Name and role."""
        parser.add_argument("name")
        parser.add_argument("--role", choices=Role.values, help="smith for someone new; kept with --again")
        parser.add_argument("--again", action="store_true", help="the person is here already: another password")

    def handle(self, *args: Any, **options: Any) -> None:
        """Ask for the password and keep the person."""
        if User.objects.filter(username=options["name"]).exists() != options["again"]:
            raise CommandError(
                f"There is nobody called {options['name']}."
                if options["again"]
                else f"{options['name']} is here already; --again gives them another password."
            )
        asked = getpass.getpass("Password: ") if sys.stdin.isatty() else sys.stdin.readline().strip()
        try:
            validate_password(asked)
        except ValidationError as error:
            raise CommandError(" ".join(error.messages)) from None
        person, is_new = User.objects.get_or_create(username=options["name"])
        if is_new or options["role"]:
            person.role = options["role"] or Role.SMITH
        person.set_password(asked)
        person.save()
        self.stdout.write(f"{person} is {'now' if is_new else 'still'} here, as {person.get_role_display().lower()}.")
