"""By what our own files are known, so that nothing else is written over or removed."""

PAGE_MARK = "plain-verdict-page"
"""The name of the page's meta element, and a zip file's comment."""
FIRST_PAGE = "index.html"
"""Of a page in a folder: the file to open."""
MAIL_MARK = "@plain-verdict.invalid"  # Source: RFC 2606, section 2: a name that can't be anybody's
"""The end of a digest's Message-ID."""
