"""A small HTTP service for tests: it answers what it is given to, path by path."""

import threading
from collections.abc import Callable
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

Answer = Callable[[BaseHTTPRequestHandler], tuple[int, dict[str, str], bytes]]


def serve(answer: Answer) -> ThreadingHTTPServer:
    """Start a service on loopback; ``answer`` gives status, headers and body, or raises to hang up."""

    class Handler(BaseHTTPRequestHandler):
        protocol_version = "HTTP/1.1"

        def do_GET(self) -> None:
            self.sent = self.rfile.read(int(self.headers.get("content-length") or 0))
            try:
                status, headers, body = answer(self)
            except ConnectionError:
                self.close_connection = True
                return
            self.send_response(status)
            for name, value in {"content-length": str(len(body)), **headers}.items():
                self.send_header(name, value)
            self.end_headers()
            self.wfile.write(body)

        do_POST = do_PUT = do_GET  # noqa: N815  names that the library asks for

        def log_message(self, *_: object) -> None:
            pass

    service = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
    threading.Thread(target=service.serve_forever, daemon=True).start()
    return service
