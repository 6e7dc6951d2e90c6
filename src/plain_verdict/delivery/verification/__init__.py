"""Verifies reports: whether they are whole, and whether judging their results again gives the same."""
