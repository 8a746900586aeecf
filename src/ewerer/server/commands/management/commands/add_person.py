"""``python -m ewerer.server add_person NAME --crew CREW``: adds a person; asks for the password."""

from __future__ import annotations

import getpass
import sys
from typing import Any

from django.contrib.auth import get_user_model
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import transaction

from ....crews.models import Crew, Member
from ....crews.roles import Role


class Command(BaseCommand):
    """Add a person to a crew, making the crew when it is new."""

    help = "Adds a person to a crew; reads the password from the terminal or from standard input."

    def add_arguments(self, parser: CommandParser) -> None:
        """Take the name and the crew."""
        parser.add_argument("name")
        parser.add_argument("--crew", required=True)
        parser.add_argument("--role", choices=list(Role), default=None, help="lead in a new crew, else member, unless it is said")

    def handle(self, *args: Any, **options: Any) -> None:
        """Create crew, user and membership in one transaction."""
        users = get_user_model()
        if users.objects.filter(username=options["name"]).exists():
            raise CommandError(f"{options['name']} exists already")
        password = getpass.getpass() if sys.stdin.isatty() else sys.stdin.readline().rstrip("\n")
        try:
            validate_password(password, users(username=options["name"]))
        except ValidationError as error:
            raise CommandError(" ".join(error.messages)) from None
        with transaction.atomic():
            crew, new = Crew.objects.get_or_create(name=options["crew"])
            role = options["role"] or (Role.LEAD if new else Role.MEMBER)
            Member.objects.create(user=users.objects.create_user(options["name"], password=password), crew=crew, role=role)
        self.stdout.write(f"{options['name']} works in {crew.name} as a {role}")
