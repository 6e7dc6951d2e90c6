"""Writes everything that is wanted of a report, here and elsewhere."""

from plain_verdict.publishing.here import Published, attachment_of, publish

__all__ = ["Published", "attachment_of", "publish"]
