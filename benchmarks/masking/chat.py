"""Signs in to a server by one of Python's own clients, each in its debug mode."""

import ftplib
import http.client
import imaplib
import logging
import poplib
import smtplib
import socket
import sys
import threading

WELCOME = {
    "smtp": b"220 desk ESMTP\r\n",
    "imap": b"* OK desk IMAP4rev1\r\n",
    "pop": b"+OK desk\r\n",
    "ftp": b"220 desk\r\n",
    "http": b"",
}
ANSWERS = {
    b"EHLO": b"250-desk\r\n250 AUTH PLAIN LOGIN CRAM-MD5\r\n",
    b"AUTH": b"535 5.7.8 no\r\n",
    b"USER": b"331 +OK password please\r\n",
    b"PASS": b"530 -ERR no\r\n",
    b"QUIT": b"221 +OK bye\r\n",
}


def serve(server: socket.socket, kind: str) -> None:
    """Answer each line of a client."""
    connection, _ = server.accept()
    connection.sendall(WELCOME[kind])
    with connection.makefile("rb") as lines:
        for line in lines:
            word = line.split()[0].upper() if line.split() else b""
            if kind == "imap":
                tag = line.split()[0]
                capability = b"* CAPABILITY IMAP4rev1 AUTH=PLAIN\r\n" if b"CAPAB" in line else b""
                connection.sendall(capability + tag + (b" OK done\r\n" if capability else b" NO sorry\r\n"))
            elif kind == "pop":
                connection.sendall(b"+OK\r\n" if word in (b"USER", b"QUIT") else b"-ERR no\r\n")
            elif kind == "http":
                if not word:
                    connection.sendall(b"HTTP/1.1 401 Unauthorized\r\nContent-Length: 0\r\n\r\n")
            else:
                connection.sendall(ANSWERS.get(word, b"250 ok\r\n"))


def main() -> None:
    """Sign in."""
    kind, user, password = sys.argv[1:4]
    if kind == "trace":
        logging.basicConfig(level=logging.DEBUG)
        logging.debug("settings: %r", {"user": user, "password": password, "token": password[::-1] + password})
        logging.info("login(user=%r, password=%r)", user, password)
        assert password == "", f"expected no password, got {password!r} for {user}"
    server = socket.create_server(("127.0.0.1", 0))
    port = server.getsockname()[1]
    threading.Thread(target=serve, args=(server, kind), daemon=True).start()
    try:
        if kind == "smtp":
            mail = smtplib.SMTP("127.0.0.1", port)
            mail.set_debuglevel(2)
            mail.login(user, password)
        elif kind == "imap":
            imaplib.Debug = 5
            imaplib.IMAP4("127.0.0.1", port).login(user, password)
        elif kind == "pop":
            box = poplib.POP3("127.0.0.1", port)
            box.set_debuglevel(2)
            box.user(user)
            box.pass_(password)
        elif kind == "ftp":
            files = ftplib.FTP()
            files.set_debuglevel(2)
            files.connect("127.0.0.1", port)
            files.login(user, password)
        else:
            web = http.client.HTTPConnection("127.0.0.1", port)
            web.set_debuglevel(1)
            web.request("POST", "/login", f"username={user}&pw={password}", {"X-Auth-Token": password})
            print(web.getresponse().status)
    except Exception as error:  # noqa: BLE001  what went wrong is what is wanted
        print(type(error).__name__, error)


main()
