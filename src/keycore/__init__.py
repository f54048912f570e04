"""The computation behind Wry Falcon: reading, planning, cutting and proving keys.

The rule of this package: it imports nothing of the web application, opens no socket, reads no
clock, prints nothing (its command line aside). Seeds, tolerances and instants are arguments.
Nouns are frozen and checked once when made; lengths are plain numbers in their family's unit.
"""

from keycore.errors import BeyondReach, InputError, KeyCoreError, NothingAllowed
from keycore.family import Family, Track

__all__ = ["BeyondReach", "Family", "InputError", "KeyCoreError", "NothingAllowed", "Track"]
