"""The musical core of Lull: takes, curves, strokes and the MIDI they become.

Nothing in here knows of a database, a browser or a file system: bytes come in, bytes and plain arrays go out.
"""
