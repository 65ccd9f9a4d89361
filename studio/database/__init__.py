"""PostgreSQL as Django knows it, but for how it finds out whether a connection is still there."""
