"""Names of percussion voices (General MIDI 1, percussion key map)."""

CHANNEL = 9
"""Channel 10, counted from 0."""

VOICES: dict[int, str] = dict(
    enumerate(
        (
            "Low bass drum", "Bass drum", "Side stick", "Snare", "Hand clap", "Electric snare", "Low floor tom",
            "Closed hi-hat", "High floor tom", "Pedal hi-hat", "Low tom", "Open hi-hat", "Low-mid tom", "High-mid tom",
            "Crash cymbal 1", "High tom", "Ride cymbal 1", "Chinese cymbal", "Ride bell", "Tambourine", "Splash cymbal",
            "Cowbell", "Crash cymbal 2", "Vibraslap", "Ride cymbal 2", "High bongo", "Low bongo", "Mute high conga",
            "Open high conga", "Low conga", "High timbale", "Low timbale", "High agogo", "Low agogo", "Cabasa",
            "Maracas", "Short whistle", "Long whistle", "Short guiro", "Long guiro", "Claves", "High wood block",
            "Low wood block", "Mute cuica", "Open cuica", "Mute triangle", "Open triangle",
        ),
        start=35,
    )
)  # fmt: skip


def voice_name(pitch: int) -> str | None:
    """The standard's name of a key, if it has one."""
    return VOICES.get(pitch)
