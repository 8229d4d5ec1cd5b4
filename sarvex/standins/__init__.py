"""Simulated stand-ins for what Sarvex talks to, so that everything can be tried without it."""
