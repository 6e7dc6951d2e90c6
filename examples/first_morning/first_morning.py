#!/usr/bin/env python3
"""A small load run against a small server, both here: writes real samples to first-morning.csv.

    python first_morning.py [SECONDS] [USERS]
    plain-verdict report first-morning.csv --config plain-verdict.toml

Standard library only, loopback only. The server gets busy in the middle of the run, and says 503 then.
"""

import asyncio
import csv
import random
import sys
import time
from collections.abc import Awaitable, Callable
from pathlib import Path

REQUESTS = (("GET /timetable", 0.004), ("POST /quotes", 0.012), ("POST /payments", 0.03))
Row = tuple[float, str, float, str, int, int, str]


def server_of(
    began: float, seconds: float
) -> Callable[[asyncio.StreamReader, asyncio.StreamWriter], Awaitable[None]]:
    """Return what answers one request: slowly at first, and not at all well between half and three fifths."""

    async def answer(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        line = (await reader.readline()).decode()
        while (await reader.readline()).strip():
            pass
        part = (time.monotonic() - began) / seconds
        usual = dict(REQUESTS).get(line.rsplit(" ", 1)[0], 0.01)
        await asyncio.sleep(usual * random.lognormvariate(0, 0.4) * (1 + 4 * max(0.0, 0.1 - part) * 10))
        busy = 0.5 < part < 0.6 and "payments" in line and random.random() < 0.5
        status = "503 Service Unavailable" if busy else "200 OK"
        body = b"the till is busy" if busy else b"a ticket for the 09:40"
        writer.write(
            f"HTTP/1.1 {status}\r\nContent-Length: {len(body)}\r\nConnection: close\r\n\r\n".encode() + body
        )
        await writer.drain()
        writer.close()

    return answer


async def send(port: int, name: str, users: int) -> Row:
    """Send one request, and return its sample."""
    started, clock = time.time(), time.monotonic()
    status, size, message = "", 0, ""
    try:
        reader, writer = await asyncio.open_connection("127.0.0.1", port)
        writer.write(f"{name} HTTP/1.1\r\nHost: localhost\r\n\r\n".encode())
        answer = await asyncio.wait_for(reader.read(), timeout=5)
        writer.close()
        status, size = answer.split(b" ", 2)[1].decode(), len(answer)
        message = "" if status == "200" else answer.rpartition(b"\r\n\r\n")[2].decode()
    except (OSError, TimeoutError, IndexError) as error:
        message = type(error).__name__
    took = time.monotonic() - clock
    return (round(started * 1000), name, round(took * 1000, 3), status, size, users, message)


async def run(seconds: float, most_users: int) -> list[Row]:
    """Let more and more users send requests until the time is over."""
    began = time.monotonic()
    server = await asyncio.start_server(server_of(began, seconds), "127.0.0.1", 0)
    port = server.sockets[0].getsockname()[1]
    rows: list[Row] = []
    busy = 0

    async def user(number: int) -> None:
        nonlocal busy
        await asyncio.sleep(seconds / 4 * number / most_users)
        busy += 1
        while time.monotonic() - began < seconds:
            name = random.choices([name for name, _ in REQUESTS], (5, 3, 1))[0]
            rows.append(await send(port, name, busy))
            await asyncio.sleep(random.expovariate(20))

    await asyncio.gather(*(user(number) for number in range(most_users)))
    server.close()
    return rows


def main() -> None:
    """Run it and write the samples."""
    seconds = float(sys.argv[1]) if len(sys.argv) > 1 else 20.0
    rows = asyncio.run(run(seconds, int(sys.argv[2]) if len(sys.argv) > 2 else 30))
    with Path("first-morning.csv").open("w", newline="", encoding="utf-8") as file:
        table = csv.writer(file)
        table.writerow(("started_ms", "request", "took_ms", "status", "bytes", "users", "message"))
        table.writerows(rows)


if __name__ == "__main__":
    main()
