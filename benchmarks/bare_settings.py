"""The demonstration's settings with one more address: the bare view."""

from wryfalcon.settings.demo import *  # noqa: F403

ROOT_URLCONF = "benchmarks.bare"
