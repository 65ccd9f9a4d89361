"""What is read from JSON and written to it."""

from typing import Any

Document = dict[str, Any]
"""An object of JSON: what its names hold is known to who reads it, and checked where it comes from outside."""
