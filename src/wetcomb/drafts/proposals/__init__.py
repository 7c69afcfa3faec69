"""Proposals: chains that may rebuild a text, each brought by cheap evidence. A module a kind of text."""
