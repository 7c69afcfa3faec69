"""A whole run: sources in, files out, helpers. Knows no command line."""
