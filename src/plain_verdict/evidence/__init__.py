"""Finds evidence, checks it, makes it fit for a page, and gives it to the checks that it belongs to."""

from plain_verdict.evidence.collect import EvidenceWishes, check_places, collect

__all__ = ["EvidenceWishes", "check_places", "collect"]
