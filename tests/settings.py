"""Django's settings for tests: the application's own, with passwords that are quick to make."""

from config.settings import *  # noqa: F403

PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
