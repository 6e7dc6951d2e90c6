"""Records: our own format, JSON Lines."""
