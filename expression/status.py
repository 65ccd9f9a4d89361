"""Status bytes of messages (MIDI 1.0, table 1; SMF 1.0)."""

NOTE_OFF, NOTE_ON, POLY_PRESSURE, CONTROL, PROGRAM, PRESSURE, BEND = range(0x80, 0xF0, 0x10)
SHORT = (PROGRAM, PRESSURE)
"""Messages of a channel with one data byte; all others have two."""
SYSEX, ESCAPE, META = 0xF0, 0xF7, 0xFF
BEND_CENTRE = 8192
