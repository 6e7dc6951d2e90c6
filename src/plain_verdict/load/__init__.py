"""The numbers of load runs: histograms, percentiles, series. Pure functions over arrays, tested alone."""
