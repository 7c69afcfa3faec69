"""Combs: saved steps with every option stated; loading, saving and running them."""
