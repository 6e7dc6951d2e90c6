"""Reads what was asked for, and tells which checks say whether it is met."""
