"""Text layers of PDF pages: from characters and drawn objects to a sheet and its texts."""
