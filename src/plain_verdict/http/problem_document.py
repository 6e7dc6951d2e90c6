"""Reads problem documents, in which services say what went wrong. Source: RFC 9457, section 3."""

import msgspec

from plain_verdict.model import HttpResponse
from plain_verdict.text.cleaning import single_line

_DETAIL_CHARS = 200  # it stands in a heading


class ProblemDocument(msgspec.Struct, frozen=True):
    """What a service says of a problem."""

    title: str = ""
    detail: str = ""


def problem_document_of(response: HttpResponse) -> ProblemDocument:
    """Return what an answer says of a problem; an empty one where it says nothing in this form."""
    body = response.body
    if body is None or "problem+json" not in body.media_type:
        return ProblemDocument()
    try:
        found = msgspec.json.decode(body.text, type=dict[str, object])
    except msgspec.DecodeError:  # none, or cut at its limit
        return ProblemDocument()
    title, detail = (found.get(key) for key in ("title", "detail"))
    return ProblemDocument(
        single_line(title, _DETAIL_CHARS) if isinstance(title, str) else "",
        single_line(detail, _DETAIL_CHARS) if isinstance(detail, str) else "",
    )
