"""The sailings and fares service of a made-up ferry company, small enough to run inside its checks.

    python examples/fares_service/service.py 8021

It answers on loopback only, keeps its bookings in memory, and has two faults on purpose: it is busy for parties of
more than eight, and it never answers about the sailing BQ-9999.
"""

import json
import re
import struct
import sys
import threading
import time
import zlib
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from urllib.parse import parse_qs, urlsplit

SAILINGS = {
    "BQ-2203": {"from": "Brindle Quay", "to": "Skarholm", "leaves": "2026-07-04T09:40:00+02:00", "seats": 48},
    "BQ-2205": {"from": "Brindle Quay", "to": "Skarholm", "leaves": "2026-07-04T13:10:00+02:00", "seats": 3},
    "BQ-2301": {"from": "Skarholm", "to": "Brindle Quay", "leaves": "2026-07-04T18:20:00+02:00", "seats": 51},
}
FARES = {"adult": 20900, "child": 10450, "bicycle": 4500, "dog": 3000}
NEVER = "BQ-9999"
BUSY_FROM = 9


class Service(ThreadingHTTPServer):
    """The service with its bookings; ``patience_s`` is how long it keeps silent about what it never answers."""

    daemon_threads = True

    def __init__(self, port: int = 0, patience_s: float = 2.0) -> None:
        super().__init__(("127.0.0.1", port), Handler)
        self.patience_s = patience_s
        self.bookings: dict[str, dict] = {}
        self.numbers = iter(range(70_501, 99_999))

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.server_port}/v2"


class Handler(BaseHTTPRequestHandler):
    """One request."""

    protocol_version = "HTTP/1.1"
    server: Service

    def do_GET(self):
        self.answer()

    do_POST = do_PUT = do_PATCH = do_DELETE = do_GET

    def answer(self):
        length = int(self.headers.get("content-length") or 0)
        self.body = self.rfile.read(length)
        path = urlsplit(self.path).path
        for method, pattern, handle in ROUTES:
            found = re.fullmatch(pattern, path)
            if found and method == self.command:
                if method != "GET" and path != "/v2/sessions" and "authorization" not in self.headers:
                    return self.problem(401, "Sign in first", "no token was sent")
                return handle(self, *found.groups())
        return self.problem(404, "No such thing", f"{self.command} {path} is not served")

    def send(self, status, value=None, *, media_type="application/json", headers=()):
        data = b"" if value is None else value if isinstance(value, bytes) else json.dumps(value).encode()
        self.send_response(status)
        for name, text in (("content-type", media_type), ("content-length", str(len(data))), *headers):
            if data or name != "content-type":
                self.send_header(name, text)
        self.end_headers()
        self.wfile.write(data)

    def problem(self, status, title, detail):
        headers = [("retry-after", "30")] if status == 503 else []
        return self.send(
            status,
            {"title": title, "status": status, "detail": detail},
            media_type="application/problem+json",
            headers=headers,
        )

    def log_message(self, *_):
        pass

    # What the routes do

    def sailings(self):
        wanted = parse_qs(urlsplit(self.path).query).get("from", [""])[0]
        return self.send(200, [{"id": id_, **one} for id_, one in SAILINGS.items() if wanted in ("", one["from"])])

    def sailing(self, id_):
        if id_ not in SAILINGS:
            return self.problem(404, "No such sailing", f"there is no sailing {id_}")
        return self.send(200, {"id": id_, **SAILINGS[id_]})

    def fares(self, id_):
        if id_ == NEVER:
            time.sleep(self.server.patience_s)
            self.close_connection = True
            return None
        if id_ not in SAILINGS:
            return self.problem(404, "No such sailing", f"there is no sailing {id_}")
        return self.send(200, {"sailing": id_, "currency": "NOK", "fares": FARES})

    def sign_in(self):
        sent = json.loads(self.body)
        if sent.get("password") != "gangway-7-lantern":
            return self.problem(401, "Not known here", "name or password is wrong")
        return self.send(201, {"token": "qk1-9f3b77aa20c4e1d85b6c", "clerk": sent["name"]})

    def book(self):
        sent = json.loads(self.body)
        party = sum(sent.get("party", {}).values())
        if party >= BUSY_FROM:
            time.sleep(0.4)
            return self.problem(503, "Fare service busy", "the queue is full (40)")
        if not party:
            return self.problem(422, "Nobody travels", "a party needs one person or more")
        id_ = f"BK-{next(self.server.numbers)}"
        each = FARES["adult"] * (2 if sent.get("return") else 1)
        total = sum(number * (FARES[who] if who != "adult" else each) for who, number in sent["party"].items())
        self.server.bookings[id_] = {"id": id_, **sent, "total": f"{total / 100:.2f}", "paid": False}
        return self.send(201, self.server.bookings[id_], headers=[("location", f"/v2/bookings/{id_}")])

    def booking(self, id_):
        found = self.server.bookings.get(id_)
        return self.send(200, found) if found else self.problem(404, "No such booking", id_)

    def seats(self, id_):
        found = self.server.bookings[id_]
        seats = json.loads(self.body)["seats"]
        if "1A" in seats:
            return self.problem(409, "Seat is taken", "1A is the captain's")
        found["seats"] = seats
        return self.send(200, found)

    def pay(self, id_):
        fields = {name: values[0] for name, values in parse_qs(self.body.decode()).items()}
        if fields.get("card", "").endswith("0002"):
            return self.problem(402, "Card refused", "the bank says no")
        self.server.bookings[id_]["paid"] = True
        return self.send(200, {"paid": True, "receipt": f"R-{id_[3:]}"})

    def ticket(self, id_):
        return self.send(200, picture(id_), media_type="image/png")

    def cancel(self, id_):
        self.server.bookings.pop(id_, None)
        return self.send(204)


ROUTES = [
    ("GET", r"/v2/sailings", Handler.sailings),
    ("GET", r"/v2/sailings/([\w-]+)", Handler.sailing),
    ("GET", r"/v2/sailings/([\w-]+)/fares", Handler.fares),
    ("POST", r"/v2/sessions", Handler.sign_in),
    ("POST", r"/v2/bookings", Handler.book),
    ("GET", r"/v2/bookings/([\w-]+)", Handler.booking),
    ("PUT", r"/v2/bookings/([\w-]+)/seats", Handler.seats),
    ("POST", r"/v2/bookings/([\w-]+)/payment", Handler.pay),
    ("GET", r"/v2/bookings/([\w-]+)/ticket", Handler.ticket),
    ("DELETE", r"/v2/bookings/([\w-]+)", Handler.cancel),
]


def picture(text: str) -> bytes:
    """A ticket's square code as PNG: made up, and readable by nothing."""
    size, scale = 21, 6
    bits = zlib.crc32(text.encode())
    rows = []
    for y in range(size):
        dark = [(bits >> ((x * 7 + y * 13) % 31) & 1) ^ (x * y % 3 == 0) for x in range(size)]
        row = b"\x00" + b"".join(bytes([24 if one else 250]) * scale for one in dark)
        rows += [row] * scale
    side = size * scale
    chunks = (
        (b"IHDR", struct.pack(">IIBBBBB", side, side, 8, 0, 0, 0, 0)),
        (b"IDAT", zlib.compress(b"".join(rows))),
    )
    parts = [b"\x89PNG\r\n\x1a\n"]
    for name, data in (*chunks, (b"IEND", b"")):
        parts.append(struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data)))
    return b"".join(parts)


def start(patience_s: float = 2.0) -> Service:
    """Start the service on a free port, in its own thread."""
    service = Service(patience_s=patience_s)
    threading.Thread(target=service.serve_forever, daemon=True).start()
    return service


if __name__ == "__main__":
    Service(int(sys.argv[1])).serve_forever()
