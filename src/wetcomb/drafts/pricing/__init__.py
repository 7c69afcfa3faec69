"""One price in bits for a whole text: tokens, columns, and all that a chain of steps makes of it."""
