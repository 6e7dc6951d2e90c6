"""The page: one HTML file with everything in it, or a folder of files that needs no script."""
