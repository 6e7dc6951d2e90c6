"""Drafts a mapping for a file: finds the items that look most like checks, and what their values may mean."""
