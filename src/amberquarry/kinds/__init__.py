"""What each block is: one module for each kind."""
