"""XML as runners write it: mended, streamed, without entities, DTDs or network."""
