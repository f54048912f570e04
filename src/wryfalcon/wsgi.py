"""The application for a server."""

import os

from django.core.wsgi import get_wsgi_application

from wryfalcon.warming import warm_up

os.umask(0o077)  # database, cut plans and tables are for this user alone
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "wryfalcon.settings.production")
application = get_wsgi_application()
warm_up()
