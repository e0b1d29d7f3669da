"""Where jobs and records are kept: SQLite, plain SQL."""
