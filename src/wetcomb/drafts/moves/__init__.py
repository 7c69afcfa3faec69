"""Moves that a chain may be grown by, one at a time, as long as its price falls."""
