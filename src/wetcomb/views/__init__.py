"""What people look at. A view builds neutral blocks; a writer draws them."""
