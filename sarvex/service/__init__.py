"""Use cases, one transaction each: `drafts`, `editions`, `releases`, `people`, and `analysis` of what is in memory."""
