"""Writes checks as HTML, in Python: a run may have 50,000 with something to open, for which templates are slow."""
