"""The digest as a mail message."""
