"""Reads requirements, and tells which checks say whether it is met."""
