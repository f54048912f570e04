"""``python -m wryfalcon COMMAND``: Django's management commands."""

import os
import sys

from django.core.management import execute_from_command_line

if __name__ == "__main__":
    os.umask(0o077)  # database, cut plans and tables are for this user alone
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "wryfalcon.settings.production")
    execute_from_command_line(["python -m wryfalcon", *sys.argv[1:]])
