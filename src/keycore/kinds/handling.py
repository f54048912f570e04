"""What is checked by hand before a key is cut, and what each check rests on.

Common practice, no source; the machine's own book comes first.
"""

from __future__ import annotations

from keycore.kind import HandCheck, RestsOn

GLASSES = HandCheck("glasses", "Glasses on; no gloves, sleeves, hair or rings near the cutter", RestsOn.PERSON)
GUARD = HandCheck("guard", "Guard down, spindle off while hands are in", RestsOn.PERSON)
CUTTER = HandCheck("cutter", "The cutter named here is the one fitted", RestsOn.TOOL)
BOTTOMED = HandCheck("bottomed", "Blank bottomed against the back of the jaw, at its stop", RestsOn.CLAMPING)
TUGGED = HandCheck("tugged", "Tugged: it does not move", RestsOn.CLAMPING)
STOP_AWAY = HandCheck("stop-away", "Shoulder gauge or tip stop swung away", RestsOn.CLAMPING)

OF_A_BLADE = (GLASSES, GUARD, CUTTER, BOTTOMED, TUGGED, STOP_AWAY)
"""For a key cut along its edge by a wheel, in the order of the work."""
