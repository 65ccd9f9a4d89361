"""Standard MIDI Files and MIDI messages: in and out."""
