"""Long runs that try to break the server: see script/soak and docs/reliability.md."""
