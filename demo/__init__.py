"""The demo takes, made by code with a fixed seed: *The fog signal*."""
