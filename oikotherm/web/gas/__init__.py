"""Gas's own pages."""
