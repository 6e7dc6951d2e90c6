"""The demo run: one night at the booking desk and the fares service of Brindle Quay Ferries, made up."""

from datetime import timedelta
from pathlib import Path

RESULTS = Path(__file__).parent / "results"
EARLIER = Path(__file__).parent / "earlier"
BUILDS = Path(__file__).parent / "earlier" / "builds.json.gz"
"""The digest of the builds before; scripts/make-demo-history makes it."""
RULES = Path(__file__).parent / "rules"
REQUIREMENTS = Path(__file__).parent / "asked.md"
SHOTS = Path(__file__).parent / "shots"
BRAND = Path(__file__).parent / "brand"
API_DOCUMENT = Path(__file__).parent / "fares.openapi.yaml"
SETTINGS = Path(__file__).parent / "settings.toml"
WAIVER_LASTS = timedelta(days=5)
