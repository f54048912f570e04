"""The protocol: one JSON object a line, one answer a line, over TCP on the loopback address."""

from __future__ import annotations

import asyncio
import contextlib
import json
from typing import Any

from benchmachine.blade import Refused
from benchmachine.machine import COMMANDS, HANDS, Machine

VERSION = 3
TICK = 0.05
LONGEST_LINE = 262_144
EVENTS_AT_ONCE = 500
ENVELOPE = ("v", "id", "do")


def answer(machine: Machine, line: bytes) -> dict[str, Any]:
    """Answer one request line. What happened and how the machine is are of the same instant."""
    said: dict[str, Any] = {"v": VERSION, "id": None, "ok": True, "result": None, "error": None}
    try:
        request = json.loads(line)
        if not isinstance(request, dict):
            raise Refused("a request is one JSON object on a line")
        said["id"] = request.get("id")
        if request.get("v") != VERSION:
            raise Refused(f"this machine speaks version {VERSION}")
        said["result"] = _do(machine, request)
    except Refused as refusal:
        said |= {"ok": False, "error": str(refusal)}
    except (ValueError, TypeError, KeyError, RecursionError) as error:
        said |= {"ok": False, "error": f"not understood: {str(error)[:120]}"}
    return {**said, "time": machine.clock.stamp(), "status": machine.status()}


def _do(machine: Machine, request: dict[str, Any]) -> Any:
    command, given = request.get("do"), {name: value for name, value in request.items() if name not in ENVELOPE}
    if command == "status":
        return None
    if command == "events":
        after = int(given.get("after", 0))
        told = machine.events[after : after + EVENTS_AT_ONCE]
        return {"events": told, "more": after + len(told) < len(machine.events)}
    act = COMMANDS.get(str(command)) or HANDS.get(str(command))
    if act is None:
        raise Refused(f"no command {command!r}")
    return machine.asked(str(request.get("id") or ""), lambda: act(machine, **given))


async def serve(machine: Machine, port: int) -> None:
    """Serve one machine until cancelled; it goes on cutting whoever is connected."""

    async def talk(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        with contextlib.suppress(ConnectionError, ValueError, asyncio.IncompleteReadError):
            while line := await reader.readline():
                writer.write(json.dumps(answer(machine, line)).encode() + b"\n")
                await writer.drain()
        writer.close()

    server = await asyncio.start_server(talk, "127.0.0.1", port, limit=LONGEST_LINE)
    async with server:
        print(f"benchmachine on 127.0.0.1:{server.sockets[0].getsockname()[1]}", flush=True)
        while True:
            await asyncio.sleep(TICK)
            if not machine.clock.is_stepped:
                machine.advance(TICK)
