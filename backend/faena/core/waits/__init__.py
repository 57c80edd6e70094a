"""What sessions wait for: eight kinds, and a catalogue that says what each wait event means."""
