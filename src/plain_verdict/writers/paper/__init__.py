"""The paper: a PDF of its own, not a print of the page."""
