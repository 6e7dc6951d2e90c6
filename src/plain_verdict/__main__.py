"""Lets ``python -m plain_verdict`` do what the ``plain-verdict`` command does."""

from plain_verdict.cli import main

raise SystemExit(main())
