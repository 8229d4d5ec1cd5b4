"""Networks in memory and what is worked out of them: reports, questions, and whose turn it is."""
