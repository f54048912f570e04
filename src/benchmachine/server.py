"""The protocol: one JSON object a line, one answer a line, over TCP on the loopback address."""

from __future__ import annotations

import asyncio
import contextlib
import json
from typing import Any

from benchmachine.machine import COMMANDS, Machine, Refused

TICK = 0.05
LONGEST_LINE = 262_144
EVENTS_AT_ONCE = 500


def answer(machine: Machine, line: bytes) -> dict[str, Any]:
    """Answer one request line: ``{"ok": true, ...}`` or ``{"ok": false, "error": "..."}``."""
    try:
        request = json.loads(line)
        if not isinstance(request, dict):
            raise Refused("a request is one JSON object on a line")
        command = request.pop("do", None)
        return {"ok": True, "result": _do(machine, command, request), "status": machine.status()}
    except Refused as refusal:
        return {"ok": False, "error": str(refusal), "status": machine.status()}
    except (ValueError, TypeError, KeyError, RecursionError) as error:
        return {"ok": False, "error": f"not understood: {str(error)[:120]}", "status": machine.status()}


def _do(machine: Machine, command: Any, request: dict[str, Any]) -> Any:
    if command == "events":
        after = int(request.get("after", 0))
        return machine.events[after : after + EVENTS_AT_ONCE]
    if command == "lid":
        return machine.lid(bool(request["open"]))
    if command not in COMMANDS:
        raise Refused(f"no command {command!r}")
    return COMMANDS[command](machine, **request)


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
            machine.advance(TICK)
