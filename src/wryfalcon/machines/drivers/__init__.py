"""How the application reaches a machine: one interface, a driver for each way."""

from wryfalcon.machines.drivers.interface import (
    Delivery,
    Driver,
    MachineNonsense,
    MachineRefused,
    MachineUnreachable,
    Status,
)
from wryfalcon.machines.drivers.registry import driver_of

__all__ = ["Delivery", "Driver", "MachineNonsense", "MachineRefused", "MachineUnreachable", "Status", "driver_of"]
