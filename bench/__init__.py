"""Measurements against a floor taken in the same run: `./lull bench`."""
