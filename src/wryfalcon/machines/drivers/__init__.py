"""How the application reaches a machine: one interface, a driver for each way."""

from wryfalcon.machines.drivers.interface import Driver, MachineRefused, MachineUnreachable, Status
from wryfalcon.machines.drivers.registry import driver_of

__all__ = ["Driver", "MachineRefused", "MachineUnreachable", "Status", "driver_of"]
