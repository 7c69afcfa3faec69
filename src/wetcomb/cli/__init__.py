"""The command line: one small module a command, no computation."""
