"""The formats a table is written in: a module each, and one table that names them."""
