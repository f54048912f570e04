"""The application for a server."""

import os

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "wryfalcon.settings.production")
application = get_wsgi_application()
