"""The Django application: who owns which take, and what has been done to it."""
