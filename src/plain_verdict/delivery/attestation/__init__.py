"""Attestations of reports: signed statements on what was judged, in open forms (in-toto, DSSE)."""
