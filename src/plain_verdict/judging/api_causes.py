"""What failures of API checks have in common: the status and the operation tell more than an assertion's words."""

import msgspec

from plain_verdict.http.problem_document import problem_document_of
from plain_verdict.judging.similarity import template_of
from plain_verdict.model import Call, CallState, Run


class CallFailure(msgspec.Struct, frozen=True):
    """How a call went wrong: what is alike in all of a group, and its name where that tells the cause."""

    key: tuple[str, ...]
    name: str = ""
    message: str = ""


def call_failures(run: Run) -> dict[str, CallFailure]:
    """Return how the last wrong call of each check went wrong, by check id."""
    return {call.check.id: _failure(call) for call in run.api.calls if call.state is CallState.WRONG}


def _failure(call: Call) -> CallFailure:
    response, operation = call.exchange.response, call.operation.name
    if response is None:
        return CallFailure(("no answer", operation), f"No answer from {operation}", call.exchange.no_answer)
    if response.status < 400:
        # The service did answer; what was wrong with it stands in the failure's own words.
        return CallFailure((operation, str(response.status)))
    document = problem_document_of(response)
    status = f"{response.status} {response.reason}".strip()
    if document.title:
        message = f"{document.title}: {document.detail}" if document.detail else document.title
        return CallFailure((status, template_of(document.title)), f"{document.title} ({response.status})", message)
    return CallFailure((status, operation), f"{status} from {operation}")
