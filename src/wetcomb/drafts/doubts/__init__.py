"""What speaks against a draft: a module for each place where the evidence stands."""
