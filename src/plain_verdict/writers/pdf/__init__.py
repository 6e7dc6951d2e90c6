"""The PDF report: its own PDF, not a print of the page."""
