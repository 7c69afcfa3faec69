"""The steps: each one class with its options, and what runs it. No step imports another."""
