"""Text, spans, tables, the ledger: what everything else stands on. Never prints, never reads."""
