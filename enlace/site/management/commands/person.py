"""Make somebody who may sign in, or give them another role or password. The password is read from standard input."""

from __future__ import annotations

import getpass
import sys
from typing import Any

from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.core.management import CommandError
from django.core.management.base import BaseCommand

from enlace.accounts.log import note
from enlace.accounts.models import Person


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument("name")
        parser.add_argument("--role", choices=Person.Role.values, default=Person.Role.OPERATOR)

    def handle(self, name: Any, role: Any, **options: Any) -> None:
        password = getpass.getpass("Password: ") if sys.stdin.isatty() else sys.stdin.readline().rstrip("\n")
        person = Person.objects.filter(username=name).first() or Person(username=name)
        try:
            validate_password(password, person)
            person.role = role
            person.set_password(password)
            person.full_clean()
        except ValidationError as error:
            raise CommandError(" ".join(error.messages)) from None
        person.save()
        note("person", None, name=name, role=role)
        self.stdout.write(f"{name} may sign in, as {person.get_role_display().lower()}.")
