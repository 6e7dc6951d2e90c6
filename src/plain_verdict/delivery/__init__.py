"""The one door through which reports leave: written here, published elsewhere, sent by mail and webhook."""
