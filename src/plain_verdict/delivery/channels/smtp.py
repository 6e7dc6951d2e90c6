"""Sends a mail message by SMTP (RFC 5321), encrypted by STARTTLS (RFC 3207) or TLS from the start (RFC 8314)."""

import smtplib
import ssl
import time
from collections.abc import Sequence

from plain_verdict.delivery.channels.address import Address, Login
from plain_verdict.runtime.errors import DeliveryError

_TIMEOUT_S = 20.0  # a pipeline must not hang on a mail server
_PAUSES_S = (1.0, 3.0)
"""Before each retry; only an answer 4yz is temporary. Source: RFC 5321, section 4.2.1."""


def send_mail(server: Address, login: Login, sender: str, to: Sequence[str], message: bytes) -> None:
    """Send a message to all recipients. Raises DeliveryError, which names the server and why."""
    for pause_s in (*_PAUSES_S, None):
        try:
            refused = _send(server, login, sender, to, message)
        except (smtplib.SMTPException, OSError) as error:
            if pause_s is None or not _is_temporary(error):
                what, hint = _explained(error, server)
                raise DeliveryError(f"the mail was not sent ({what})", path=str(server), hint=hint) from error
            time.sleep(pause_s)
            continue
        if refused:
            names = "; ".join(f"{name}: {_answer(*answer)}" for name, answer in refused.items())
            hint = "the others got it; check the address"
            raise DeliveryError(f"some did not get the mail ({names})", path=str(server), hint=hint)
        return


def try_server(server: Address, login: Login) -> None:
    """Connect to a server and sign in, and send nothing. Raises DeliveryError."""
    try:
        _connected(server, login).quit()
    except (smtplib.SMTPException, OSError) as error:
        what, hint = _explained(error, server)
        raise DeliveryError(f"can't send mail ({what})", path=str(server), hint=hint) from error


def _send(
    server: Address, login: Login, sender: str, to: Sequence[str], message: bytes
) -> dict[str, tuple[int, bytes]]:
    with _connected(server, login) as connection:
        return connection.sendmail(sender, to, message)


def _connected(server: Address, login: Login) -> smtplib.SMTP:
    """Return a connection on which a mail can be sent, encrypted and signed in as the server's address says."""
    context = ssl.create_default_context()  # certificates are checked, also against SSL_CERT_FILE
    if server.scheme == "smtps":
        connection: smtplib.SMTP = smtplib.SMTP_SSL(server.host, server.port, timeout=_TIMEOUT_S, context=context)
    else:
        connection = smtplib.SMTP(server.host, server.port, timeout=_TIMEOUT_S)
    try:
        if server.scheme == "smtp":
            connection.starttls(context=context)
        if login.user:
            connection.login(login.user, login.password)
    except (smtplib.SMTPException, OSError):
        connection.close()
        raise
    return connection


def _is_temporary(error: Exception) -> bool:
    if isinstance(error, smtplib.SMTPRecipientsRefused):
        return all(code // 100 == 4 for code, _ in error.recipients.values())
    return isinstance(error, smtplib.SMTPResponseException) and error.smtp_code // 100 == 4


def _explained(error: Exception, server: Address) -> tuple[str, str]:
    """Return what went wrong and what to do."""
    silent = isinstance(error, TimeoutError) or isinstance(error.__context__, TimeoutError)
    if isinstance(error, smtplib.SMTPException) and not silent:
        return _refusal(error, server)
    if isinstance(error, ssl.SSLCertVerificationError):
        return (
            f"its certificate does not fit: {error.verify_message}",
            "SSL_CERT_FILE names an authority of your own",
        )
    if isinstance(error, ssl.SSLError):
        return f"TLS failed: {error.reason or error}", "use smtps:// on port 465 and smtp:// on 587"
    what = f"no answer in {_TIMEOUT_S:.0f} s" if silent else ""
    return what or getattr(error, "strerror", "") or str(error), "check host and port"


def _refusal(error: smtplib.SMTPException, server: Address) -> tuple[str, str]:
    """Return what the server says, and what to do."""
    if isinstance(error, smtplib.SMTPRecipientsRefused):
        answers = "; ".join(f"{name}: {_answer(*answer)}" for name, answer in error.recipients.items())
        return answers, "check mail.to"
    if isinstance(error, smtplib.SMTPResponseException):
        signing_in = isinstance(error, smtplib.SMTPAuthenticationError)
        hint = "check the variables with user and password" if signing_in else "ask who runs the server"
        return _answer(error.smtp_code, error.smtp_error), hint
    if isinstance(error, smtplib.SMTPNotSupportedError):
        if server.scheme == "smtp":
            return "the server offers no STARTTLS", "use smtps://, or smtp+plain:// in a network of your own"
        return "the server offers no authentication", "remove the user"
    return str(error) or type(error).__name__, "check host and port"


def _answer(code: int, text: bytes | str) -> str:
    words = text.decode("utf-8", "replace") if isinstance(text, bytes) else text
    return f"{code} {' '.join(words.split())}"[:200]
