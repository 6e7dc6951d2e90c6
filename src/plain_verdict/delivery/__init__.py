"""Puts what was written into its place: whole files, names, the newest copy, zip files."""
