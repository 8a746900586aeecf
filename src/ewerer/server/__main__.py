"""Django's own commands: ``python -m ewerer.server migrate`` and the like."""

import os
import sys

from django.core.management import execute_from_command_line

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "ewerer.server.settings.production")
execute_from_command_line(["python -m ewerer.server", *sys.argv[1:]])
