"""One comb over more texts, or longer ones, than one machine is for: on an engine of others."""
