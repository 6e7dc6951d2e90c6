"""Reads XCCDF results. Sources: NIST IR 7275 revision 3 (XCCDF 1.1) and 4 (1.2), NIST IR 7694 (ARF 1.1)."""
