"""Editions and all other versions of a network, compared with each other and asked."""
