"""What text looks like: named marks, shapes of values."""
