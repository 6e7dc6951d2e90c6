"""Sends what it reads to a port of this machine and prints what comes back."""

import socket
import sys

with socket.create_connection(("127.0.0.1", int(sys.argv[1])), 2) as line:
    line.sendall(sys.stdin.buffer.read())
    line.settimeout(1)
    try:
        while data := line.recv(4096):
            print(data.decode("utf-8", "replace"))
    except TimeoutError:
        pass
