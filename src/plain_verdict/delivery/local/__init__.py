"""Pages on this machine: names, writing, retention."""
