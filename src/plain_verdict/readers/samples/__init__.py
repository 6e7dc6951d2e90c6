"""Reads samples of load runs: tables with one row a request (docs/load.md)."""
