"""Who may sign in, as whom, and with what."""
