"""``python -m wryfalcon COMMAND``: Django's management commands."""

import os
import sys

from django.core.management import execute_from_command_line

if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "wryfalcon.settings.production")
    execute_from_command_line(["python -m wryfalcon", *sys.argv[1:]])
