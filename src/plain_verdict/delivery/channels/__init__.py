"""Notifies people and systems of a report: mail by SMTP, notices by HTTP."""
