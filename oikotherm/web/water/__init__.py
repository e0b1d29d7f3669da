"""Pages of fresh water."""
