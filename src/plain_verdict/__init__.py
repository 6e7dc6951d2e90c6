"""Reads the result files of check runs and writes one page with a verdict in plain words."""

__version__ = "0.1.0"
