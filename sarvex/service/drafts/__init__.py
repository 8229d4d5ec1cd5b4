"""Edits of the draft: what they would do, made, taken back, and whole documents brought in."""
