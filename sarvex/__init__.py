"""Sarvex: access policies for networks, with every rule and every flow proven."""
