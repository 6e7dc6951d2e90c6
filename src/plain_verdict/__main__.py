"""Lets ``python -m plain_verdict`` do what the ``plain-verdict`` command does."""

from plain_verdict.cli import main

if __name__ == "__main__":  # a helper process that is not forked imports this
    raise SystemExit(main())
