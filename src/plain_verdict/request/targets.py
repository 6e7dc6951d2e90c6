"""Where a report goes and who is notified, ready: the places, the mail's server, web services."""

from typing import TYPE_CHECKING

import msgspec

from plain_verdict.settings.choices import When

if TYPE_CHECKING:
    from plain_verdict.delivery.channels.address import Address, Login
    from plain_verdict.remote.interface import Destination


class Target(msgspec.Struct, frozen=True):
    """A place where the page is published: how many stay there, and where others open it, with a slash, or "".

    ``patience_s`` is how long the whole publication may take.
    """

    destination: "Destination"
    keep: int
    link: str
    patience_s: float


class Sending(msgspec.Struct, frozen=True):
    """How the mail is sent, and when."""

    server: "Address"
    login: "Login"
    when: When


class Recipient(msgspec.Struct, frozen=True):
    """A web service: its address, which is a secret, the variable that holds it, the template's text and file.

    ``owner`` is whose failures alone it gets, "" for all.
    """

    url: str
    name: str
    template: str
    file: str
    when: When
    owner: str = ""
