"""Reading sources and writing tables: the only layer that touches the disk."""
