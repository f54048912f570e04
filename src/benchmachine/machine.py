"""The machine itself: what a client may ask of it, what a hand at it does, and the keys it makes in time.

Time only passes through ``advance``: the server calls it, or a test that says how much of it has passed.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict
from typing import Any

from benchmachine.blade import STOPS, Lain, Refused, written
from benchmachine.faults import FaceFaults, Faults
from benchmachine.jobs import ANGLES, JAW, Job, checked_cuts, checked_tool, checked_tools, holder_for
from benchmachine.metal import Metal
from benchmachine.state import MachineState, What

DEEPEST_FEED = 0.4  # share of a cut's time spent moving before the plunge
TOUCH_SD = 0.002  # mm, of one touch
APART = 24.0  # mm between the two places along a face that are touched
MOST_THICK = 20.0  # mm
LARGEST = 200.0  # mm, of a blank
BLANK = ("length", "height", "thickness")
CHANGES_HANDS = frozenset(
    {
        "loaded",
        "set-aside",
        "held",
        "turn-wanted",
        "index-wanted",
        "tool-wanted",
        "stalled",
        "stopped",
        "lid-opened",
        "switched-on",
    }
)
"""Entries after which a press that was made without knowing of them no longer holds."""


class Machine(MachineState):
    """A seeded machine."""

    def status(self) -> dict[str, Any]:
        """What a client may see of the machine at this instant."""
        job = self.job
        return {
            "log": self.log_id,
            "state": self.state,
            "lid": "open" if self.lid_open else "closed",
            "job": job.id if job else None,
            "client": job.client if job else None,
            "cut": job.at if job else 0,
            "of": len(job.cuts) if job else 0,
            "share": round(job.share, 3) if job else 0.0,
            "clamping": job.clamping if job else None,
            "tool": self.tool,
            "cuts_made": self.cuts_made,
            "last": len(self.events),
        }

    # --- what a client asks for --------------------------------------------------------------------

    def asked(self, request: str, act: Callable[[], Any]) -> Any:
        """Do something once: a request that was answered before is answered the same again, and not done."""
        if request and request in self.answered:
            if self.answered[request]:
                raise Refused(self.answered[request])
            return None
        self._request = request
        try:
            return act()
        except Refused as refusal:
            if request:
                self.memory.write({"request": request, "refused": str(refusal)})
                self._answer_kept(request, str(refusal))
            raise
        finally:
            self._request = ""

    def home(self, client: str = "", seen: dict[str, Any] | None = None) -> None:
        """Find the home position; after a stall this also frees the cutter."""
        if self.state == "cutting":
            raise Refused("it is cutting: hold or stop it first")
        if self.job is not None and self.state != "done" and self.job.client != client:
            raise Refused("another client's key is in it")
        self._check_seen(seen)
        self._happen(("homed", {}, {"freed": self._now_or_then == "stalled"}))

    def load(
        self, job: str, cuts: list[dict[str, Any]], client: str = "", onto: str | None = None, *,
        axes: Any = JAW.axes, face: str = "", stop: str = "shoulder", halved: bool = False,
        tools: Any = None,
    ) -> dict[str, Any]:  # fmt: skip
        """Take a job in. One that it knows is gone on with, or is finished, and never begun again.

        ``stop`` says from which of its stops it counts, ``tools`` what the cuts want by name, "" for any.
        """
        if job in self.tray or (self.job is not None and self.job.id == job):
            return self.find(job)
        if self.state not in ("idle", "done", "stopped", "loaded"):
            raise Refused("it is not homed" if self.state == "unhomed" else f"it is {self.state} with another job")
        if self.job is not None and self.state != "done" and self.job.client != client:
            raise Refused("another client's key is in it")
        holder = holder_for(axes)
        checked = checked_cuts(cuts, holder)
        if stop not in STOPS:
            raise Refused(f"it counts from its {' or '.join(STOPS)}")
        if onto is not None and onto not in self.tray:
            raise Refused(f"there is no key {onto} to touch up")
        if self.job is not None and self.state != "done":
            self._happen(("set-aside", {}, {"cut": self.job.at}))
        private = {
            "cuts": checked, "client": client, "onto": onto,
            "axes": list(holder.axes), "face": str(face)[:60], "stop": stop, "halved": bool(halved),
            "tools": checked_tools(tools or {}),
        }  # fmt: skip
        was = self.aside.get(job)
        self._happen(("loaded", private, {"of": len(checked), "cut": was.at if was else 0}), job=job)
        return self.find(job)

    def find(self, job: str, client: str = "") -> dict[str, Any]:
        """Where a key is and how far: clamp, aside, tray or unknown."""
        places = {"tray": self.tray.get(job), "aside": self.aside.get(job)}
        if self.job is not None and self.job.id == job and job not in self.tray:
            places = {"clamp": self.job}
        for where, found in places.items():
            if found is not None:
                return {"where": where, "cut": found.at, "of": len(found.cuts)}
        return {"where": "unknown", "cut": 0, "of": 0}

    def clamp(self, job: str, client: str = "", seen: dict[str, Any] | None = None) -> None:
        """The operator has clamped the key for the clamping that is next; each sits a little differently."""
        held = self._held(job, client)
        if self.state not in ("loaded", "turn", "stopped"):
            raise Refused("there is nothing to clamp now")
        self._check_seen(seen)
        if held.lain is None:
            raise Refused("nothing lies in the clamp")
        seat = (-abs(self.random.gauss(0, self.faults.seat_sd)) / 2, self.random.gauss(0, 0.0002))
        self._happen(("clamped", {"seat": seat}, {"clamping": held.clamping}))

    def start(self, job: str, client: str = "", seen: dict[str, Any] | None = None) -> None:
        """Start, or go on after a stop or after the key was turned over."""
        held = self._held(job, client)
        if self.state == "cutting":
            return
        if self.state not in ("loaded", "turn", "tool", "stopped"):
            raise Refused("it is not homed" if self.state == "unhomed" else f"it is {self.state}")
        self._check_seen(seen)
        if self.clamped != held.clamping:
            raise Refused("the key is not clamped for this side")
        if held.wants_tool not in (None, self.tool):
            if self.state == "tool":
                raise Refused(f"it wants {held.wants_tool} fitted first")
            self._happen(("tool-wanted", {}, {"tool": held.wants_tool}))
            return
        if held.holder.by_hand and held.at and self.state == "stopped":
            self._happen(("index-wanted", {}, {"index": held.at + 1}))  # nobody knows where it was turned to
            return
        self._go("started")

    def fit(self, job: str, tool: str, client: str = "", seen: dict[str, Any] | None = None, shape: Any = None) -> None:
        """The operator has fitted a tool, spindle off: that of its name, or truly one of another ``shape``."""
        self._held(job, client)
        if self.state not in ("loaded", "turn", "tool", "stopped"):
            raise Refused(f"it is {self.state}: no tool is changed now")
        self._check_seen(seen)
        private = {} if shape is None else {"shape": checked_tool(shape)}
        self._happen(("tool-fitted", private, {"tool": str(tool)[:40]}))

    def index(self, job: str, client: str = "", seen: dict[str, Any] | None = None) -> None:
        """The operator has turned the adapter to the index that is next; it goes on."""
        self._held(job, client)
        if self.state != "index":
            raise Refused(f"it is {self.state}: there is nothing to turn to")
        self._check_seen(seen)
        self._go("indexed")

    def hold(self, job: str, client: str = "") -> None:
        """Pause where it is, spindle lifted. Nothing that moves already stands still: that is no refusal."""
        self._held(job, client)
        if self.state == "cutting":
            self._happen(("held", {}, {"reason": "asked"}))

    def resume(self, job: str, client: str = "", seen: dict[str, Any] | None = None) -> None:
        """Go on after a hold; the cut that was under way is finished."""
        self._held(job, client)
        if self.state == "cutting":
            return
        if self.state != "held":
            raise Refused("home it first" if self.state in ("stalled", "unhomed") else f"it is {self.state}, not held")
        self._check_seen(seen)
        self._go("resumed")

    def stop(self, job: str, client: str = "") -> None:
        """End the run; cuts made stay made, and the same job can be started again.

        Said again, it is written again: a start that was asked for before it no longer holds.
        """
        if job in self.tray:
            return
        self._held(job, client)
        self._happen(("stopped", {}, {}))

    # --- what a hand at the machine, or mischance, does ----------------------------------------------

    def lid(self, open: bool) -> None:
        """The lid is opened or closed by hand; opening it stops the cutter at once."""
        moved: What = ("lid-opened" if open else "lid-closed", {}, {})
        holds = open and self.state == "cutting"
        self._happen(moved, *([("held", {}, {"reason": "lid"})] if holds else []))

    def put(self, lying: str, thick: float = 0.0) -> None:
        """A hand lays something on the clamp's face, or clears it: empty, flat or key, so many millimetres thick."""
        if lying not in ("empty", "flat", "key") or not 0 <= float(thick) < MOST_THICK:
            raise Refused("a hand puts in a flat or a key, or leaves it empty")
        self._happen(("laid", {"lying": lying, "thick": 0.0 if lying == "empty" else float(thick)}, {}))

    def inject(self, fault: str, value: float = 0.0) -> None:
        """For tests and practice: ``stall`` the next cut, put a ``new-wheel`` on, or set a hidden fault."""
        try:
            Faults().inject(fault, value) if fault not in ("stall", "new-wheel") else None
        except ValueError as error:
            raise Refused(str(error)) from None
        self._happen(("touched", {"fault": fault, "value": float(value)}, {}))

    def lay(
        self, job: str, up: str = "front", jaw: str = "reference edge", stop: str = "shoulder", *,
        index: float = 0.0, backwards: bool = False, blank: Any = None,
    ) -> None:  # fmt: skip
        """A hand lays the key in the clamp: what is up, what lies at the fixed jaw, what meets the stop.

        ``blank`` is how large it is, told of the first time; a tube or a round may be turned by ``index`` degrees.
        """
        held = self._held(job, self.job.client if self.job else "")
        if self.state == "cutting":
            raise Refused("it is cutting: nothing is laid in it now")
        lain = Lain(str(up), str(jaw), str(stop), float(index), bool(backwards))
        sizes = {name: getattr(held.blade, name) for name in BLANK} | (blank if isinstance(blank, dict) else {})
        if set(sizes) != set(BLANK) or not all(0 < float(size) < LARGEST for size in sizes.values()):
            raise Refused("a blank has length, height and thickness, millimetres")
        self._happen(("lain", {"lain": asdict(lain), "blank": {n: float(sizes[n]) for n in BLANK}}, {}))

    def measure(self, job: str, place: str, client: str = "", look: Any = None) -> dict[str, float]:
        """Read one cut of a key with the caliper, as a ``look`` says: value and position, noise included."""
        key = self.tray.get(job) or self.aside.get(job) or (self.job if self.job and self.job.id == job else None)
        if key is None or (key.is_old and place not in key.made):
            raise Refused("there is no such cut to measure")
        at, value = key.made[place] if key.is_old else key.blade.read(look if isinstance(look, dict) else {})
        of_space, of_depth = (self._read_sd(axis) for axis in key.holder.axes[:2])
        return {"value": value + self.random.gauss(0, of_depth), "position": at + self.random.gauss(0, of_space)}

    def touch(self, face: str, at: str, client: str = "") -> dict[str, float]:
        """Come down on a face of a clamp, or on what lies on it, at both its ends: where it touched, mm.

        ``floor`` and ``top`` are heights, ``edge`` is how far across the reference edge of a key lies.
        """
        if self.state not in ("idle", "done"):
            raise Refused(
                "it is not homed" if self.state == "unhomed" else f"it is {self.state}: the clamp is not free"
            )
        if at not in ("floor", "top", "edge"):
            raise Refused("it touches floor, top or edge")
        if at == "edge" and self.lying != "key":
            raise Refused("it found no edge to touch")
        own, faults = FaceFaults.of(self.seed, face), self.faults
        start = own.across + faults.face_across if at == "edge" else own.floor + faults.face_floor + self.lying_thick
        tilt = own.tilt + faults.face_tilt if at == "edge" else 0.0
        near, far = (start + tilt * x + self.random.gauss(0, TOUCH_SD) for x in (0.0, APART))
        return {"near": near, "far": far, "apart": APART}

    def _read_sd(self, axis: str) -> float:
        """How well what an axis made is read."""
        return self.faults.protractor_sd if axis in ANGLES else self.faults.caliper_sd

    # --- time --------------------------------------------------------------------------------

    def advance(self, seconds: float) -> None:
        """Let time pass."""
        while seconds > 0 and self.state == "cutting" and self.job is not None:
            if self.job.share == 0.0:
                self._touch_metal(self.job)
            if self.stall_next and self.job.share >= DEEPEST_FEED:
                self._happen(("stalled", {}, {"cut": self.job.at}))
                break
            step = min(seconds, self.seconds_per_cut / 10)
            seconds -= step
            self.clock.step(step)
            self.job.share += step / self.seconds_per_cut
            if self.job.share > 1.0 - 1e-9:
                self._finish_cut(self.job)
        self.clock.step(max(0.0, seconds))

    def _touch_metal(self, job: Job) -> None:
        """Written before it happens, so that whoever judges the machine knows of it whatever comes next."""
        cut = job.cuts[job.at]
        self.ledger.write(
            {
                "at": self.clock.stamp(), "what": "cut-begins", "job": job.id, "onto": job.onto, "cut": job.at,
                "of": len(job.cuts), "clamping": cut["clamping"], "place": cut["place"],
            }
        )  # fmt: skip

    def _finish_cut(self, job: Job) -> None:
        cut, number = job.cuts[job.at], job.at
        made = self._cut(job, cut)
        done: What = ("cut-done", made, {"cut": number, "place": cut["place"]})
        following = job.cuts[number + 1] if number + 1 < len(job.cuts) else None
        if following is None:
            self._happen(done, ("finished", {}, {}))
        elif following["clamping"] != self.clamped:
            self._happen(done, ("turn-wanted", {}, {"clamping": following["clamping"]}))
        elif following["tool"] not in (None, self.tool):
            self._happen(done, ("tool-wanted", {}, {"tool": following["tool"]}))
        elif job.holder.by_hand:
            self._happen(done, ("index-wanted", {}, {"index": number + 2}))
        else:
            self._happen(done)

    def _cut(self, job: Job, cut: dict[str, Any]) -> dict[str, Any]:
        """What it took off: of an old job only the numbers, for nobody said how its metal lay."""
        metal = self._metal
        if job.is_old:
            at = metal.stood(job, cut["at"])
            return {"made": (at[job.holder.space], at[job.holder.depth])}
        assert job.lain is not None  # or it would not be clamped
        shape = job.tools.get(cut["tool"] or "", {}) if self.fitted is None else self.fitted
        return {"pass": written(metal.pass_of(job, cut, job.lain, shape))}

    @property
    def _metal(self) -> Metal:
        return Metal(self.faults, self.random, self.seed, *self.seat, self.cuts_made)

    # --- what it looks at before it does something ---------------------------------------------------

    def _held(self, job: str, client: str) -> Job:
        if self.job is None or self.job.id != job:
            raise Refused("it holds another key now" if self.job else "it holds no key now")
        if self.job.client != client:
            raise Refused("another client's key is in it")
        return self.job

    def _check_seen(self, seen: dict[str, Any] | None) -> None:
        """Refuse a press that rests on what is no longer so: the log has moved on since it was looked at."""
        if seen is None:
            return
        if seen["log"] != self.log_id:
            raise Refused("its log is another one now: look at it again")
        if any(event["kind"] in CHANGES_HANDS for event in self.events[int(seen["event"]) :]):
            raise Refused("something happened at it meanwhile: look at it again")

    def _go(self, kind: str) -> None:
        if self.lid_open:
            raise Refused("the lid is open")
        self._happen((kind, {}, {"cut": self.job.at if self.job else 0}))


COMMANDS: dict[str, Callable[..., Any]] = {
    "home": Machine.home, "load": Machine.load, "find": Machine.find, "clamp": Machine.clamp, "start": Machine.start,
    "hold": Machine.hold, "resume": Machine.resume, "stop": Machine.stop, "measure": Machine.measure,
    "fit": Machine.fit, "index": Machine.index, "touch": Machine.touch,
}  # fmt: skip
"""What a client may ask by name; status and events are answered by the server itself."""
HANDS: dict[str, Callable[..., Any]] = {
    "lid": Machine.lid, "lay": Machine.lay, "inject": Machine.inject, "put": Machine.put, "pass": Machine.advance,
}  # fmt: skip
"""What is not asked by a client: a hand at the machine, mischance, and time where it stands still."""
