"""The application for a server."""

import os

from django.core.wsgi import get_wsgi_application

os.umask(0o077)  # database, cut plans and tables are for this user alone
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "wryfalcon.settings.production")
application = get_wsgi_application()
