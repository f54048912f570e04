"""A simulated key cutting machine with faults of its own, reached only through its protocol.

See ``docs/machine-protocol.md``. Needs nothing but the standard library.
"""
