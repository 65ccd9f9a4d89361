"""Documents, and the script that takes their pictures."""
