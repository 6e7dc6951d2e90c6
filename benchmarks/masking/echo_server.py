"""A server for logs: answers each request with what it was sent, and logs it."""

import sys
from http.server import BaseHTTPRequestHandler, HTTPServer


class Echo(BaseHTTPRequestHandler):
    """Answers with the request's headers and body."""

    def do_GET(self) -> None:
        """Answer."""
        size = int(self.headers.get("Content-Length") or 0)
        body = self.rfile.read(size)
        self.send_response(401 if "login" in self.path or ".git" in self.path else 200)
        self.send_header("WWW-Authenticate", 'Basic realm="desk"')
        self.send_header("Content-Type", "text/plain")
        self.end_headers()
        self.wfile.write(str(self.headers).encode() + body)

    do_POST = do_PUT = do_HEAD = do_PROPFIND = do_GET  # noqa: N815


HTTPServer(("127.0.0.1", int(sys.argv[1])), Echo).serve_forever()
