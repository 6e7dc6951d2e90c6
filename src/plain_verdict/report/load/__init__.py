"""The overview of load runs: samples that were counted, sums that others reported, and the team's own numbers."""
