"""What a series of readings or a waveform says, whatever the design."""
