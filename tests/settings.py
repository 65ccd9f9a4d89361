"""Django's settings for tests: the application's own, with passwords that are quick to make."""

import os
from pathlib import Path

from config.settings import *  # noqa: F403

PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]

FILES = Path(os.environ.get("LULL_FILES") or BASE_DIR / ".lull" / "files-of-tests")  # noqa: F405
"""Sounds of tests are not laid beside anybody's own."""
