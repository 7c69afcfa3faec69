"""Where a text is cut: special bytes, quote marks, records, and the proof of it."""
