"""XML as runners write it: repaired, streamed, without entities, DTDs or network."""
