"""What plain-verdict.toml may hold, and how it is read."""
