"""What the application does: the only callers of the core. Models know nothing of it, the API only translates."""
