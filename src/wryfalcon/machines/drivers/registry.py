"""Which driver a machine is reached by."""

from __future__ import annotations

from pathlib import Path

from django.conf import settings

from wryfalcon.machines.drivers.bench import BenchDriver
from wryfalcon.machines.drivers.interface import Driver
from wryfalcon.machines.drivers.plan_file import PlanFileDriver
from wryfalcon.machines.models import DriverKind, Machine


def driver_of(machine: Machine) -> Driver:
    """The driver of a machine as the shop has set it up."""
    if machine.driver == DriverKind.FILE:
        return PlanFileDriver(Path(settings.CUT_PLAN_FOLDER), machine.pk, (machine.space_axis, machine.depth_axis))
    return BenchDriver(machine.host, machine.port, settings.MACHINE_SECONDS_TO_ANSWER)
