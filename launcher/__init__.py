"""Sets up and starts Lull with nothing but Python's own library."""
