"""How the program runs: errors, files, processes, threads and limits."""
