"""Test Anything Protocol, versions 12 to 14."""
