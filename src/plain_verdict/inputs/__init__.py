"""Finds what the user gave: files, folders, patterns, archives; and weighs what arrived."""
