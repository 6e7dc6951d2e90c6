"""Writes what was judged in forms other than the page, and everything to disk."""
