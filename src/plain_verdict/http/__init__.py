"""What exchanges with a service look like in files: bodies, HTTP archives."""
