"""A mail server for logs: takes any sign-in and refuses it."""

import socketserver
import sys
from typing import ClassVar


class Mail(socketserver.StreamRequestHandler):
    """Answers each line."""

    answers: ClassVar = {b"EHLO": b"250-desk\r\n250 AUTH PLAIN LOGIN\r\n", b"QUIT": b"221 bye\r\n"}

    def handle(self) -> None:
        """Talk."""
        self.wfile.write(b"220 desk ESMTP\r\n")
        asked = 0
        for line in self.rfile:
            words = line.strip().upper().split()
            if words[:2] == [b"AUTH", b"LOGIN"] or asked == 1:
                asked += 1
                self.wfile.write(b"334 VXNlcm5hbWU6\r\n" if asked == 1 else b"334 UGFzc3dvcmQ6\r\n")
                continue
            refused = words[:1] == [b"AUTH"] or asked == 2
            asked = 0
            answer = self.answers.get(words[0] if words else b"", b"250 ok\r\n")
            self.wfile.write(b"535 5.7.8 no\r\n" if refused else answer)


socketserver.ThreadingTCPServer.allow_reuse_address = True
socketserver.ThreadingTCPServer(("127.0.0.1", int(sys.argv[1])), Mail).serve_forever()
