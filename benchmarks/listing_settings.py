"""The demonstration's settings with Django's own admin beside the application, to hold its pages against."""

from wryfalcon.settings.demo import *  # noqa: F403

INSTALLED_APPS = ["django.contrib.admin", *INSTALLED_APPS]  # noqa: F405
ROOT_URLCONF = "benchmarks.listing"
