"""What is wanted: the command line over the settings, all of it checked before any work is done."""

from plain_verdict.request.making import made_at, make_read_request, make_request
from plain_verdict.request.outputs import STANDARD_OUTPUT
from plain_verdict.request.overrides import Overrides
from plain_verdict.request.request import ReadOptions, ReadRequest, Request

__all__ = [
    "STANDARD_OUTPUT",
    "Overrides",
    "ReadOptions",
    "ReadRequest",
    "Request",
    "made_at",
    "make_read_request",
    "make_request",
]
