"""Part of the studio application."""
