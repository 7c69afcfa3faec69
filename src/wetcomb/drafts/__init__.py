"""Drafts: what has to be worked out from a text, with its evidence."""
