"""Groups the calls of a run by operation, counts them, and compares them with an OpenAPI document."""

from plain_verdict.api.grouping import with_calls

__all__ = ["with_calls"]
