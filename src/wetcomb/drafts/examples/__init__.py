"""Rules by example: what a wanted record says of all others."""
