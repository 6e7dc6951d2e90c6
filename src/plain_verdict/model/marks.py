"""By what our own files are known, so that nothing else is written over or removed."""

PAGE_MARK = "plain-verdict-page"
"""The name of the page's meta element, and a zip file's comment."""
RUN_MARK = "plain-verdict-run"
"""The name of the meta element that says which run a page is of: id, series, place in time."""
INDEX_MARK = "plain-verdict-index"
"""The name of the meta element that tells the index of a page, and of the one by which an index is known."""
DIGEST = "digest"
"""The id of the element that holds a page's digest."""
FIRST_PAGE = "index.html"
"""Of a page in a folder: the file to open."""
MAIL_MARK = "@plain-verdict.invalid"  # Source: RFC 2606, section 2: a name that can't be anybody's
"""The end of a digest's Message-ID."""
