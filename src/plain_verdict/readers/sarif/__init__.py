"""Reads SARIF 2.1.0: what static analysis found. Source: OASIS Static Analysis Results Interchange Format 2.1.0."""
