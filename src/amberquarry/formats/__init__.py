"""What documents are written as."""
