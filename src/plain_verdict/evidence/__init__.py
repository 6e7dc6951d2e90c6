"""Finds evidence, checks it, makes it fit for a page, and gives it to the checks that it belongs to."""

from plain_verdict.evidence.collect import EvidenceOptions, check_look_in, collect

__all__ = ["EvidenceOptions", "check_look_in", "collect"]
