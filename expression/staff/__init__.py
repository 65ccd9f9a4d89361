"""The page: parts as staff notation, and as MusicXML (4.0) and SVG."""
