"""Which driver a machine is reached by."""

from __future__ import annotations

from pathlib import Path

from django.conf import settings
from django.utils.crypto import salted_hmac

from wryfalcon.machines.drivers.bench import BenchDriver
from wryfalcon.machines.drivers.interface import Driver
from wryfalcon.machines.drivers.plan_file import PlanFileDriver
from wryfalcon.machines.models import DriverKind, Machine


def driver_of(machine: Machine) -> Driver:
    """The driver of a machine as the shop has set it up. Only the follower of the machines asks for it."""
    if machine.driver == DriverKind.FILE:
        return PlanFileDriver(Path(settings.CUT_PLAN_FOLDER), machine.pk)
    seconds = settings.MACHINE_SECONDS_TO_ANSWER
    return BenchDriver(machine.host, machine.port, seconds, client=client_name())


def client_name() -> str:
    """Who this shop is to its machines: the same as long as its secret key is."""
    return salted_hmac("wryfalcon.machines.client", "").hexdigest()[:16]
