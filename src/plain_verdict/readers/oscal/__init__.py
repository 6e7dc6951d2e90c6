"""Reads OSCAL assessment results. Source: NIST Open Security Controls Assessment Language 1.1."""
