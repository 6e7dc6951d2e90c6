"""The index: one page over many pages of a folder, and a feed of the newest."""
